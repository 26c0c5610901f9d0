import { addressOf, isDocument, type Document } from './endpoint';
import { ENDPOINTS } from './index';
import { JobPartsFile } from './jobFile';

/** Every document of the contract by its name: bodies and answers of the endpoints, and what a job's file holds. */
export const DOCUMENTS: Readonly<Record<string, Document>> = Object.fromEntries(
  [...ENDPOINTS.flatMap(({ endpoint: { body, answer } }) => [body, answer]), JobPartsFile]
    .filter((one) => one !== undefined && isDocument(one))
    .map((one) => [one.name, one]),
);

/** Every schema by the name that it is served under (`/schemas/NAME.json`). */
export const SCHEMAS: Readonly<Record<string, object>> = Object.fromEntries(
  Object.values(DOCUMENTS).map(({ name, shape, example }) => {
    const head = { $schema: 'https://json-schema.org/draft/2020-12/schema', $id: addressOf(name) };
    return [name, { ...head, ...shape, ...(example !== undefined && { examples: [example] }) }];
  }),
);
