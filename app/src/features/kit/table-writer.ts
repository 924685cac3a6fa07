/** The writer of printed tables, fetched when one is saved. */
export const tableWriter = () => import('@mesure/formats/table-pdf');
