// the checks of `schemas.ts` are a door of their own, @mesure/contract/schemas: building them takes a phone a tenth of its start
export * from './records';
export * from './roles';
export * from './wire';
export * from './recorded-setup';
export * from './lens-book';
export * from './planned-setup';
export * from './recce';
export * from './tape-net';
export * from './merge';
export * from './take-fields';
export * from './logging';
export * from './bulk';
export * from './take-table';
export * from './surveyed-anchors';
export * from './sync';
export * from './stills';
