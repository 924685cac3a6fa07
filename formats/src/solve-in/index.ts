export { readMoveFile, type MoveOptions } from './read-move-file';
export { readMovePoints } from './points';
