import { serve } from '$lib/server/web/serve';

export const { GET, HEAD } = serve('/images/{name}');
