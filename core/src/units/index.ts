export { parseLength, type ParsedLength } from './parse-length';
export { formatLength, type FormatLengthOptions } from './format-length';
export { LENGTH_UNITS, METRES_PER, isLengthUnit, type LengthUnit } from './length-unit';
export { degToRad, radToDeg } from './angle';
