import { Type } from 'typebox';
import { closed } from '$core/shapes';
import { endpoint, media } from './endpoint';

/** The server itself: what is done here as it is done, how it fares, and this contract. */

export const EVENTS = {
  'GET /events': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    summary: 'What is done at the bench, as it is done: server-sent events',
    gives: 'The events',
    answer: media('text/event-stream'),
    errors: ['too-many-watching'],
  }),
  'GET /openapi.json': endpoint({
    need: 'anyone',
    scope: null,
    summary: 'This document',
    gives: 'OpenAPI 3.1',
    answer: Type.Object({}),
  }),
};

/** Endpoints that stand at addresses of their own, not under `/api/v1`. */
export const MONITORING = {
  'GET /healthz': endpoint({
    need: 'anyone',
    scope: null,
    summary: 'Whether the server runs',
    gives: 'ok',
    answer: media('text/plain'),
  }),
  'GET /readyz': endpoint({
    need: 'anyone',
    scope: null,
    summary: 'Whether it can work: database, room on the disk, clock, certificate (503 where not)',
    gives: 'Each with whether it is well',
    answer: closed({
      database: Type.Boolean(),
      disk: Type.Boolean(),
      clock: Type.Boolean(),
      certificate: Type.Boolean(),
    }),
  }),
  'GET /metrics': endpoint({
    need: 'owner',
    scope: 'server:read',
    summary: 'Figures of the server for a monitor (Prometheus)',
    gives: 'The figures',
    answer: media('text/plain'),
  }),
  'GET /schemas/{name}.json': endpoint({
    need: 'anyone',
    scope: null,
    summary: 'A JSON Schema (draft 2020-12)',
    gives: 'The schema',
    answer: media('application/schema+json'),
    errors: ['no-schema'],
  }),
};
