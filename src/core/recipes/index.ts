export * from './recipe';
export { isHalf, packedViews, packingOf, unsaidPacking } from './views';
export { ENCODES, QUALITY, USUAL_KEYS } from './codecs';
export { SHIPPED, recipesById } from './shipped';
export { allSteps, holdsNothing, takesBothViews } from './encode-plan';
export type { EncodePlan, PictureStep, PlannedAudio, PlannedSubtitle, Rate } from './encode-plan';
export { planEncode } from './plan';
export type { Reason, ReasonCode } from './reasons';
export {
  AUDIO_ENCODER,
  FILTER_NAMES,
  type FileTags,
  VIDEO_ENCODER,
  encoderArguments,
  encodersOf,
  firstPassArguments,
  joinArguments,
  loudnessArguments,
  loudnessOf,
  pieceArguments,
  videoEncoderOf,
  withLoudness,
  type EncoderName,
} from './arguments';
export { HARDWARE_ENCODER, HARDWARE_NAMES, workingHardware, type HardwareName } from './hardware-names';
export { BESIDE, chapterText, filesOf, filtersOf, pairsOnly, type BesideName } from './filters';
export { PIECE_MS, divideEncode, whyWhole, type EncodePiece, type SourcePicture } from './pieces';
export { copyBytes, type TriedPicture } from './estimate';
export { expectationOf } from './expect';
export {
  clipArguments,
  comparisonArguments,
  encodedPicture,
  inOnePass,
  nearnessOf,
  pictureOnly,
  plainPicture,
  shownMs,
  shownSize,
  together,
  treatedPicture,
  viewsUntreated,
  type CompareWindow,
  type Nearness,
} from './rehearsal';
export {
  SAMPLES,
  bytesInside,
  chooseSamples,
  leastQuality,
  trialOf,
  type EncodedPicture,
  type Sample,
  type SampleKind,
  type SampleResult,
  type Stretch,
  type TrialResult,
} from './trial';
export { SHAPE_CODECS, TARGETS, obstaclesOn, shapeOfPlan, type CopyShape, type Obstacle, type Target } from './targets';
