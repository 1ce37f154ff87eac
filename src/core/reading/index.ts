export * from './model';
export { readDisc } from './read-disc';
export { type ReadingProgress, type ReadOptions } from './progress';
export { openContent } from './content';
export { findVideoFolder, openTitleSetContent, type TitleSetContent } from './title-set-files';
