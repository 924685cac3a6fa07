export { parseLength, type ParsedLength } from './parse-length';
export { formatLength, type FormatLengthOptions } from './format-length';
export { LENGTH_UNITS, METRES_PER, isLengthUnit, type LengthUnit } from './length-unit';
export { degToRad, radToDeg } from './angle';
export { parseAngle, formatAngle } from './parse-angle';
export { parseTimecode, timecodeFrames, timecodeSeconds, frameTimecode, formatTimecode, type Timecode } from './timecode';
export { parseShutter, shutterDeg, shutterSeconds, formatShutter, type Shutter } from './shutter';
export { nextClipName, clipPatternProblem, type ClipWords } from './clip-name';
export { countOf } from './count-of';
