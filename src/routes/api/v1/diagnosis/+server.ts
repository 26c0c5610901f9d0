import type { RequestHandler } from '@sveltejs/kit';
import { fromBody } from '$lib/server/threads/fromBody';

export const POST: RequestHandler = ({ request }) => fromBody(request, 'diagnosis');
