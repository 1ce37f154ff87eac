export { STRETCH_STATES, RescueMap, type Stretch, type StretchState } from './map';
export { mappedSource } from './mapped-source';
export { LARGE_BYTES, TAKE_PASSES, takeImage, type TakeOptions, type TakePass, type TakeStep } from './take';
export { patientSource, type PatientOptions } from './patient-source';
export { samePressing, type Sameness } from './same-pressing';
export { FILLS, fillSector, type Fill } from './fill';
export { CURVE_PARTS, ReadingCurve, curveSpeeds, wornShare, type CurvePart } from './curve';
