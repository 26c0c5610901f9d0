import type { RequestHandler } from '@sveltejs/kit';
import { figures } from '$lib/server/monitor/figures';

/** Figures for a monitor, in Prometheus’ text format. */
export const GET: RequestHandler = async () =>
  new Response(await figures.metrics(), { headers: { 'content-type': figures.contentType } });
