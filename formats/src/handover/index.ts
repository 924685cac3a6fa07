export { checkHandover, type CheckedFile, type HandoverEntries } from './check';
