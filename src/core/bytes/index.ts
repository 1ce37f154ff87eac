export { DiscError, isDamage, throwIfCancelled, unlessDamaged, type DiscErrorCode, type Where } from './error';
export { BitReader } from './bits';
export { part, raw, record, text, u16be, u16le, u32be, u32le, u64le, u8, type Field, type Values } from './record';
export { blobSource, cachedSource, extentSource, memorySource, readExactly, type ByteSource, type Extent, type Gap } from './source';
export { Cursor } from './cursor';
export { concatBytes, equalBytes } from './chunks';
export { ChunkReader } from './chunk-reader';
