import { tableOf } from './warning';

/** Of the tables that were read. */
export const FILES = tableOf({
  COLUMNS_UNKNOWN: (file: string, columns: readonly string[]) => `${file}: the columns ${columns.join(', ')} are not known and were not used.`,
});
