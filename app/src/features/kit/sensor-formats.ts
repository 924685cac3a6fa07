/** Picture areas by their standard names (ISO 1007, SMPTE ST 59, ST 201 and the usual video formats), mm. No maker's sensor is among them. */
export const SENSOR_FORMATS = [
  { name: '36 × 24 still', widthMm: 36, heightMm: 24 },
  { name: 'Super 35, 4-perf', widthMm: 24.89, heightMm: 18.66 },
  { name: 'Super 35, 3-perf', widthMm: 24.89, heightMm: 13.87 },
  { name: 'Academy 35', widthMm: 21.95, heightMm: 16 },
  { name: '65 mm, 5-perf', widthMm: 52.48, heightMm: 23.01 },
  { name: 'Super 16', widthMm: 12.52, heightMm: 7.41 },
  { name: 'Four Thirds', widthMm: 17.3, heightMm: 13 },
  { name: '1-inch', widthMm: 13.2, heightMm: 8.8 },
  { name: '2/3-inch 16:9', widthMm: 9.59, heightMm: 5.39 },
] as const;
