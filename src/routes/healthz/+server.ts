import { text, type RequestHandler } from '@sveltejs/kit';

/** That the server runs; whether it can work says /readyz. */
export const GET: RequestHandler = () => text('ok\n');
