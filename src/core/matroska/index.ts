export { crc32 } from './crc32';
export type { Crc32 } from './ebml';
export { iso639_2 } from './languages';
export { readMatroska, type MatroskaVisitor, type ReadSummary, type ReadTrack } from './reader';
export {
  displaySize,
  secondViewElement,
  type MatroskaAttachment,
  type MatroskaChapter,
  type MatroskaTag,
  type MatroskaTrack,
} from './tracks';
export { MatroskaWriter, identifier, type MatroskaDescription, type MatroskaFrame, type MatroskaSink } from './writer';
export { readMatroskaStream, type DescribedTrack, type StreamBlock, type StreamPart } from './stream';
export { joinPictures, type JoinedPiece } from './join';
