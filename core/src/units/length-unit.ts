/** The forms in which a length is written down on a set. `ft-in` is feet and inches with fractions: 4' 7 1/4". */
export const LENGTH_UNITS = ['m', 'cm', 'mm', 'in', 'ft', 'ft-in'] as const;
export type LengthUnit = (typeof LENGTH_UNITS)[number];

/** Exact by definition: the international inch is 25.4 mm (1959 agreement). `ft-in` counts in inches. */
export const METRES_PER: Record<LengthUnit, number> = { m: 1, cm: 0.01, mm: 0.001, in: 0.0254, ft: 0.3048, 'ft-in': 0.0254 };

export const isLengthUnit = (text: string): text is LengthUnit => (LENGTH_UNITS as readonly string[]).includes(text);
