import { serve } from '$lib/server/web/serve';

export const { GET, POST } = serve('/people');
