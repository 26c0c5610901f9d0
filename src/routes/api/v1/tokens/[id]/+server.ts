import { serve } from '$lib/server/web/serve';

export const { DELETE } = serve('/tokens/{id}');
