export { AmbiguousInput, CoreError, CancelledError, type CoreErrorCode } from './core-error';
