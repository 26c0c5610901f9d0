import { json, type RequestHandler } from '@sveltejs/kit';
import { historyOfBench, withHolds } from '$lib/server/history/history';

/** What was done at the bench as a whole, oldest first. */
export const GET: RequestHandler = async () => json(withHolds(await historyOfBench()));
