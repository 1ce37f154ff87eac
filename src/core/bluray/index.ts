export { parseIndexTable, type IndexObject, type IndexTable } from './index-table';
export { parseMovieObjects, type MovieObject, type NavigationCommand } from './movie-objects';
export { followFrom, type Followed } from './navigation';
export {
  SUB_PATH,
  parsePlaylist,
  type Connection,
  type PlayItem,
  type Playlist,
  type PlaylistMark,
  type PlaylistStream,
  type StreamTable,
  type SubPath,
  type SubPlayItem,
} from './playlist';
export {
  ENTRY_STEP_90K,
  SOURCE_PACKET_BYTES,
  entryAfter,
  entryBefore,
  parseClipInfo,
  type ClipInfo,
  type ClipStream,
  type EntryPoint,
} from './clip-info';
export { CODING, audioChannels, audioRate, videoFormat, type StreamAttributes, type VideoFormat } from './coding';
export { parseDiscMetadata, type DiscMetadata } from './disc-metadata';
