export { openImage } from './open';
export { openIso9660 } from './iso9660';
export { openUdf } from './udf/udf';
export { SECTOR_BYTES, pathParts, sameName, type Volume, type VolumeEntry, type VolumeFile, type VolumeRemark } from './volume';
