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
  readScr,
  type PackState,
  type PesReceiver,
  type StreamKey,
} from './program-stream';
export { PackClock, SCR_STEP_90K } from './pack-clock';
export { readMenuButtons, readNavigationPack, type MenuButtons, type NavigationPack } from './navigation';
export {
  CODE,
  MPEG1_PICTURE,
  PICTURE,
  findStartCode,
  pictureFields,
  pictureRows,
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
export { lpcmGroupBytes, packLpcm, pcmGroupBytes, readLpcmLayout, samplesPerGroup, unpackLpcm, type LpcmLayout } from './lpcm';
export { MAX_SUBPICTURE_BYTES, readSubpicture, retimeSubpicture, type SubpictureInfo } from './subpicture';
export { ANY_CODE, FIRST_BEYOND_SLICES, findUnitCode, plainStore, scanningStore, type ByteStore, type SliceRows } from './unit-codes';
export {
  SOURCE_PACKET,
  TransportDemux,
  lookAtTransport,
  type TransportFault,
  type TransportLook,
  type TransportReceiver,
} from './transport-stream';
export { ac3IsSound, eac3IsSound, trueHdIsSound } from './check-words';
export { SyntaxReader, readUsabilityHead, trimmedUnit, unescaped, type ColourCodes, type PictureFormat } from './nal';
export { H264, avcConfiguration, readH264Sequence, readH264Slice, skipScalingList, type H264Sequence, type H264Slice } from './h264';
export { HEVC, hevcConfiguration, hevcType, readHdr10, readHevcSequence, type Hdr10, type HevcSequence } from './hevc';
export { VC1, readVc1Frame, readVc1Sequence } from './vc1';
export { readDtsHdUnit, readEac3Unit, readTrueHdSync, trueHdUnitBytes, type HdAudioHeader, type TrueHdSync } from './audio-headers-hd';
export {
  HDMV_LPCM_HEAD_BYTES,
  hdmvGroupBytes,
  hdmvLpcmLayoutName,
  hdmvPcmBytes,
  packHdmvLpcm,
  readHdmvLpcm,
  unpackHdmvLpcm,
  type HdmvLpcmLayout,
} from './lpcm-hdmv';
export { PGS, PGS_HEAD_BYTES, PgsEpoch, clearingPgsSet, pgsSegmentBytes, readPgsComposition, type PgsComposition } from './pgs';
export { readTextSubtitles, type TextDialog, type TextSubtitles } from './textst';
