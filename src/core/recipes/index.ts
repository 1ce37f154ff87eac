export { TrackHashes, writeMaster, type MasterOptions, type MasterPromise, type TrackPromise } from './master';
export { besidePromise } from './beside';
export { paletteRgb, vobSubHeader } from './palette';
export { accessArguments, type AccessFacts, type AccessInput } from './access';
export { writeKeyPictures, type OpenMoment } from './key-pictures';
