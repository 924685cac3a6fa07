/** The writer of charts, fetched when one is saved: most people who open Mesure print none. */
export const chartWriter = () => import('@mesure/formats/chart');
