export * from './model';
export { readDisc, type ReadingProgress, type ReadOptions } from './read-disc';
export { findVideoFolder, openTitleSetContent, type TitleSetContent } from './title-set-files';
