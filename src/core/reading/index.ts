export * from './model';
export { readDisc } from './read-disc';
export { type ReadingProgress, type ReadOptions } from './progress';
export { damagedSegments, damagedTimes, scanForDamage, withDamage, type DamagedTime } from './damage';
export { languageTag } from './bluray-tracks';
export { clipInfoName, openContent } from './content';
export { findVideoFolder, openTitleSetContent, type TitleSetContent } from './title-set-files';
export { audioOfFile, readingOfFile, type ProbedFile, type ProbedStream } from './read-file';
export { SILENCE_DB, judgeScan, measuredPicture, mergeMeasures, type PictureArea, type PictureCounts } from './measure';
