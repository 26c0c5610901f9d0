import { serve } from '$lib/server/web/serve';

export const { POST } = serve('/jobs/{number}/sheets/{id}/layout-proof');
