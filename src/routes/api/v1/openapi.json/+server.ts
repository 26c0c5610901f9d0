import { json, type RequestHandler } from '@sveltejs/kit';
import { openapi } from '$lib/server/openapi';

export const GET: RequestHandler = () => json(openapi);
