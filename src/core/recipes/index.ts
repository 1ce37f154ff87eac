export * from './recipe';
export { ENCODES, QUALITY } from './codecs';
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
