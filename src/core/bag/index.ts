export { BAG_DECLARATION, bagInfo, manifest, manifestPath, payloadOxum, type BaggedFile } from './bagit';
export { EVENT_TYPES, premis, type PreservationEvent, type PreservedFile } from './premis';
export { dublinCore, type Described } from './dublin-core';
