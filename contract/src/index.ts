export * from './records';
export * from './schemas';
export * from './wire';
export * from './recorded-setup';
export * from './lens-book';
export * from './planned-setup';
export * from './recce';
export * from './tape-net';
