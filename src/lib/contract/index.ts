import { DRAWINGS } from './drawings';
import type { AnswerOf, BodyOf, Endpoint, ParamsOf, QueryOf } from './endpoint';
import { GOALS } from './goals';
import { IMAGES } from './images';
import { JOBS } from './jobs';
import { PEOPLE } from './people';
import { REHEARSALS } from './rehearsals';
import { EVENTS, MONITORING } from './server';
import { SHEETS } from './sheets';
import { SURVEYS } from './surveys';
import { WORKSHOP } from './workshop';

/** The contract between server and everybody who asks it: each endpoint once, by method and path. */

/** Prefix of the API's paths. */
export const BASE = '/api/v1';

/** The API, by method and path below {@link BASE}. */
export const API = {
  ...JOBS,
  ...SURVEYS,
  ...GOALS,
  ...DRAWINGS,
  ...SHEETS,
  ...REHEARSALS,
  ...IMAGES,
  ...PEOPLE,
  ...WORKSHOP,
  ...EVENTS,
};

/** Every endpoint, also those beside the API. */
export const CONTRACT = { ...API, ...MONITORING };
export type Contract = typeof CONTRACT;
export type EndpointKey = keyof Contract;
type PathIn<K extends string> = K extends `${string} ${infer P}` ? P : never;
export type EndpointPath = PathIn<EndpointKey>;

export type Body<K extends EndpointKey> = BodyOf<Contract[K]>;
export type Answer<K extends EndpointKey> = AnswerOf<Contract[K]>;
export type Params<K extends EndpointKey> = ParamsOf<Contract[K], PathIn<K>>;
export type Query<K extends EndpointKey> = QueryOf<Contract[K]>;

/** Every endpoint as a server sees it: its method, and its path from the root. */
export const ENDPOINTS: readonly { key: EndpointKey; method: string; path: string; endpoint: Endpoint }[] =
  Object.entries<Endpoint>(CONTRACT).map(([key, endpoint]) => {
    const [method, path] = key.split(' ') as [string, string];
    return { key: key as EndpointKey, method, path: key in API ? `${BASE}${path}` : path, endpoint };
  });
