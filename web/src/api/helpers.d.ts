/** The schema has no fields that are only read or only written; without that distinction tuples of the schema stay tuples. */
export * from "../../node_modules/openapi-typescript-helpers/dist/index.d.ts";
export type Readable<T> = T;
export type Writable<T> = T;
