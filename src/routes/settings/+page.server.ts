import { readWorkshop } from '$lib/server/workshop';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async () => await readWorkshop();
