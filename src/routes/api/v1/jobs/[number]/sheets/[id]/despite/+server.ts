import { serve } from '$lib/server/web/serve';

export const { PUT } = serve('/jobs/{number}/sheets/{id}/despite');
