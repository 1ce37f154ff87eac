export { TICKS_PER_MS, TICKS_PER_PTS, TICKS_PER_SECOND, ptsToTicks, ticksToMs, ticksToNs } from './clock';
export {
  DSI_STREAM,
  NO_PTS,
  PCI_STREAM,
  STREAM,
  VIDEO_STREAM,
  isPack,
  privateStream,
  readPack,
  type PesReceiver,
  type StreamKey,
} from './program-stream';
export { readMenuButtons, readNavigationPack, type MenuButtons, type NavigationPack } from './navigation';
export {
  CODE,
  MPEG1_PICTURE,
  PICTURE,
  findStartCode,
  pictureFields,
  readPictureCoding,
  readPictureHeader,
  readSequenceHeader,
  type PictureCoding,
  type SequenceHeader,
} from './mpeg-video';
export {
  HEADER_BYTES,
  frameTicks,
  readAc3Header,
  readDtsHeader,
  readMpegAudioHeader,
  type AudioFrameHeader,
  type AudioHeaderReader,
} from './audio-headers';
export { SAMPLES_PER_GROUP, lpcmGroupBytes, packLpcm, pcmGroupBytes, readLpcmLayout, unpackLpcm, type LpcmLayout } from './lpcm';
export { MAX_SUBPICTURE_BYTES, readSubpicture, type SubpictureInfo } from './subpicture';
export { findUnitCode, plainStore, scanningStore, type ByteStore } from './unit-codes';
