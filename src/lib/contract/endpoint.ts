import { Type, type Static, type TSchema } from 'typebox';
import type { ProblemCode } from './problems';
import type { Need, Scope } from './roles';

/** A shape that is served under its name (`/schemas/NAME.json`), with a made-up example. */
export interface Document<S extends TSchema = TSchema> {
  name: string;
  shape: S;
  example?: Static<S>;
}
export const document = <S extends TSchema>(
  name: string,
  shape: S,
  example?: NoInfer<Static<S>>,
): Document<S> => ({ name, shape, ...(example !== undefined && { example }) });

/** A document within another: its address instead of its shape. */
export const within = <S extends TSchema>({ name }: Document<S>) =>
  Type.Unsafe<Static<S>>({ $ref: addressOf(name) });

/** Address of a document's schema. */
export const addressOf = (name: string): string => `/schemas/${name}.json`;

/** A body or an answer that is no JSON. */
export interface MediaBody<M extends string = string> {
  media: M;
}
export const media = <M extends string>(type: M): MediaBody<M> => ({ media: type });

/** One endpoint: everything that server, screens and OpenAPI know of it. */
export interface Endpoint {
  /** A sentence for the reader. */
  summary: string;
  /** Least role. */
  need: Need;
  /** Scope that a program's token needs; null: people only. */
  scope: Scope | null;
  /** It answers somebody who is signed in, about themselves or others: nobody where no one signs in. */
  person?: true;
  /** The job that the address names is looked for before anything else. */
  job?: true;
  /** Ids in its address are texts; numbers otherwise. */
  textId?: true;
  /** Parameters of the query: a schema each, with what they are for. */
  query?: Readonly<Record<string, TSchema>>;
  body?: Document | MediaBody;
  /** Most bytes of a body that is no JSON. */
  mostBytes?: number;
  /** Shape of a good answer; without it there is no content (204). */
  answer?: TSchema | Document | MediaBody;
  /** The same in words. */
  gives: string;
  /** 200 where nothing else is said. */
  status?: 201;
  /** Address of the new resource, with fields of the answer in braces. */
  location?: string;
  /** Refusals of its own, beside those of every endpoint: the request's form, rights, missing things. */
  errors?: readonly ProblemCode[];
}

export const endpoint = <const E extends Endpoint>(one: E): E => one;

type ShapeOf<T> = T extends Document<infer S> ? Static<S> : T extends TSchema ? Static<T> : never;

/** The type of an endpoint's JSON body; undefined: it takes none. */
export type BodyOf<E> = E extends { body: infer B }
  ? B extends MediaBody
    ? Uint8Array
    : ShapeOf<B>
  : undefined;
/** The type of its JSON answer; null: no content. */
export type AnswerOf<E> = E extends { answer: infer A }
  ? A extends MediaBody
    ? Response
    : ShapeOf<A>
  : null;
/** The names in braces of a path. */
export type NamesIn<P extends string> = P extends `${string}{${infer N}}${infer R}` ? N | NamesIn<R> : never;
type ParamOf<E, N> = N extends 'name'
  ? string
  : E extends { textId: true }
    ? N extends 'id'
      ? string
      : number
    : number;
/** Parameters of a path, by the names in its braces. */
export type ParamsOf<E, P extends string> = { [N in NamesIn<P>]: ParamOf<E, N> };
export type QueryOf<E> = E extends { query: infer Q } ? { [N in keyof Q]?: ShapeOf<Q[N]> } : undefined;

export const isMedia = (one: TSchema | Document | MediaBody): one is MediaBody => 'media' in one;
export const isDocument = (one: TSchema | Document | MediaBody): one is Document => 'shape' in one;
