import { json, type RequestHandler } from '@sveltejs/kit';
import { imagesFolder } from '$lib/server/images/names';
import { imagesInUse } from '$lib/server/images/use';

/** The images in the server's folder, and the jobs whose routes are being carried out on them. */
export const GET: RequestHandler = async () => json({ folder: imagesFolder(), ...(await imagesInUse()) });
