import type { Chart, ChartKind } from './chart';
import { chequer } from './chequer';
import { ruled } from './ruled';

export { CHART_KINDS, roomAt, SMOOTHING_PX, type Chart, type ChartKind, type ChartLook, type CornerForm, type FormAt, type SeenCorner } from './chart';
export { invert } from './crossing';
export { axisAngle, findSaddles, ovalReachPx, ovalTest, ringFits, ringTest, saddlePoint, saddlesAmong, strongPlaces, type Oval, type Saddle } from './saddle';

/** One line a chart. */
export const CHARTS: Readonly<Record<ChartKind, Chart>> = { chequer, ruled };
