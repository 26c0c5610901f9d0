import { serve } from '$lib/server/web/serve';

export const { GET, PUT, DELETE } = serve('/uploads/{id}');
