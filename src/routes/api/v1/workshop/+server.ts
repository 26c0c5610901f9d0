import { serve } from '$lib/server/web/serve';

export const { GET, PUT } = serve('/workshop');
