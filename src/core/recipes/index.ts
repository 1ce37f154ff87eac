export * from './recipe';
export { ENCODES, QUALITY, USUAL_KEYS } from './codecs';
export { SHIPPED, recipesById } from './shipped';
export {
  planEncode,
  type EncodePlan,
  type PictureStep,
  type PlannedAudio,
  type PlannedSubtitle,
  type Reason,
  type ReasonCode,
} from './plan';
export {
  AUDIO_ENCODER,
  VIDEO_ENCODER,
  encoderArguments,
  encodersOf,
  filtersOf,
  joinArguments,
  pieceArguments,
  type EncoderName,
} from './arguments';
export { PIECE_MS, divideEncode, whyWhole, type EncodePiece, type SourcePicture } from './pieces';
export { copyBytes } from './estimate';
export { expectationOf } from './expect';
export {
  clipArguments,
  comparisonArguments,
  encodedPicture,
  nearnessOf,
  pictureOnly,
  plainPicture,
  shownMs,
  shownSize,
  treatedPicture,
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
