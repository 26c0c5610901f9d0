import type { RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { saveChoices } from '$lib/server/holdings';
import { badInput } from '$lib/server/problem';

export const PUT: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'save-choices');
    if (!body.ok) return body.response;
    const saved = await saveChoices(job, body.value.version, body.value.choices);
    return saved.ok ? saved.value : badInput(saved.problems);
  });
