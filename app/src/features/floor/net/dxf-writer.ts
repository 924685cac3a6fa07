/** Loaded when somebody saves: most days nobody does. */
export const dxfWriter = () => import('@mesure/formats/survey-dxf');
