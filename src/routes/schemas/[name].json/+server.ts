import type { RequestHandler } from '@sveltejs/kit';
import { named } from '$lib/server/answers';
import { problem } from '$lib/server/problem';
import { SCHEMAS } from '$lib/server/schemas';

export const GET: RequestHandler = ({ params }) => {
  const schema = Object.hasOwn(SCHEMAS, params['name'] ?? '') ? SCHEMAS[params['name'] ?? ''] : undefined;
  if (!schema)
    return problem(
      404,
      `There is no schema “${named(params['name'])}”. There are: ${Object.keys(SCHEMAS).join(', ')}.`,
    );
  return new Response(JSON.stringify(schema, null, 2), {
    headers: { 'content-type': 'application/schema+json' },
  });
};
