import type { Need, Scope } from './people/roles';
import type { BodyName } from './schemas';

/** One endpoint of the API, as far as it is not the same for all (openapi.ts). */
export interface Endpoint {
  summary: string;
  /** Whom it answers. */
  need: Need;
  /** What a program's token has to hold; null: no program may, only people. */
  scope: Scope | null;
  /** Name of the schema of its body, or the type of a body that is no JSON. */
  takes?: BodyName | 'application/zip' | 'application/octet-stream';
  /** Parameters of the query: name, schema, what they are for. */
  query?: readonly (readonly [string, object, string])[];
  /** What a good answer is, in words: `Saved` gives the job's number and version. */
  gives: string;
  /** Its schema, where it is JSON of a known form: by name, or written out. */
  schema?: BodyName | object;
  /** Its type, where it is no JSON. */
  type?: string;
  /** 200 where nothing else is said; 204 has no content. */
  status?: 201 | 204;
  /** Refused with 409 where somebody else saved since, or where it is stale. */
  conflicts?: true;
}
