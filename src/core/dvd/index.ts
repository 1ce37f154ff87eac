export { dvdTimeMs, parseDvdTime, type DvdTime } from './time';
export {
  parseAudioAttributes,
  parseSubpictureAttributes,
  parseVideoAttributes,
  type AudioAttributes,
  type DvdAudioCoding,
  type SubpictureAttributes,
  type VideoAttributes,
} from './attributes';
export { parsePgc, type DvdCell, type DvdPgc, type SubpictureStreams } from './pgc';
export { parseTitleSet, parseVideoManager, type DvdTitleEntry, type MenuChain, type TitleSet, type VideoManager } from './ifo';
export { followNavigation } from './follow';
export { buttonKey, findRoutes, type ButtonTable, type Route } from './routes';
export { blockOf, levelsOf, parseParentalTable, type ParentalFields, type ParentalPlace } from './parental';
export { chainsOfTitle } from './title-chains';
