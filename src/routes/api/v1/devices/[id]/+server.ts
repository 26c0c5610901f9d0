import { serve } from '$lib/server/web/serve';

export const { DELETE } = serve('/devices/{id}');
