/** The writer of marks to scale, fetched when they are printed. */
export const marksWriter = () => import('@mesure/formats/marks-pdf');
