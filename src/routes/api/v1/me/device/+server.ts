import { serve } from '$lib/server/web/serve';

export const { POST } = serve('/me/device');
