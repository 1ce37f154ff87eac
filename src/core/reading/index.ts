export * from './model';
export * from './tracks';
export { titleSetName } from './title-set-name';
export { upgradeReading } from './upgrade';
export {
  FAULT_WEIGHTS,
  MOST_FAULTS,
  lacksLayer,
  type Fault,
  type FaultKind,
  type FaultWeight,
  type Wholeness,
  type Witnesses,
} from './fault';
export { MOST_STRETCHES, damageOf, faultText, lengthText, wholeText, wholenessText } from './fault-text';
export { stampOf } from './stamp';
export { readDisc } from './read-disc';
export { type ReadingProgress, type ReadOptions } from './progress';
export { damagedSegments, damagedTimes, scanForDamage, withDamage, type DamagedTime } from './damage';
export { languageTag } from './bluray/tracks';
export { clipInfoName, openContent } from './content';
export { findVideoFolder, openTitleSetContent, type TitleSetContent } from './dvd/title-set-files';
export { audioOfFile, readingOfFile, type ProbedFile, type ProbedStream } from './file/read-file';
export {
  SILENCE_DB,
  judgeScan,
  looksPacked,
  looksSwapped,
  measuredPicture,
  mergeMeasures,
  type PictureArea,
  type PictureCounts,
} from './measure';
