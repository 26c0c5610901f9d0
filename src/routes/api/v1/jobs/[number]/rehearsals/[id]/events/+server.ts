import { serve } from '$lib/server/web/serve';

export const { GET } = serve('/jobs/{number}/rehearsals/{id}/events');
