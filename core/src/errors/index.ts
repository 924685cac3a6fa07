export { CoreError, CancelledError, type CoreErrorCode } from './core-error';
