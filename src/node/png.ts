import { deflateSync } from 'node:zlib';
import { fastCrc32 } from './payload-hash';

const SIGNATURE = Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]);

function chunk(type: string, data: Uint8Array): Buffer {
  const body = Buffer.concat([Buffer.from(type, 'latin1'), data]);
  const out = Buffer.alloc(body.byteLength + 8);
  out.writeUInt32BE(data.byteLength, 0);
  body.copy(out, 4);
  out.writeUInt32BE(fastCrc32(body), 4 + body.byteLength);
  return out;
}

/** A picture of eight bits of grey as PNG (ISO/IEC 15948). @param data rows from the top, one byte a pixel. */
export function grayPng(data: Uint8Array, width: number, height: number): Buffer {
  const head = Buffer.alloc(13);
  head.writeUInt32BE(width, 0);
  head.writeUInt32BE(height, 4);
  head[8] = 8; // bits; colour type 0 is grey, and all else is as usual
  const rows = Buffer.alloc((width + 1) * height);
  for (let y = 0; y < height; y++) rows.set(data.subarray(y * width, (y + 1) * width), y * (width + 1) + 1);
  return Buffer.concat([SIGNATURE, chunk('IHDR', head), chunk('IDAT', deflateSync(rows)), chunk('IEND', new Uint8Array())]);
}
