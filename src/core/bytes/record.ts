import { DiscError, type Where } from './error';

/** One field of a fixed record: where it stands, how long it is, how it is read. */
export interface Field<T> {
  readonly at: number;
  readonly bytes: number;
  readonly read: (view: DataView, at: number) => T;
}

export const u8 = (at: number): Field<number> => ({ at, bytes: 1, read: (v, p) => v.getUint8(p) });
export const u16be = (at: number): Field<number> => ({ at, bytes: 2, read: (v, p) => v.getUint16(p) });
export const u32be = (at: number): Field<number> => ({ at, bytes: 4, read: (v, p) => v.getUint32(p) });
export const u16le = (at: number): Field<number> => ({ at, bytes: 2, read: (v, p) => v.getUint16(p, true) });
export const u32le = (at: number): Field<number> => ({ at, bytes: 4, read: (v, p) => v.getUint32(p, true) });
/** Unsigned 64 bit, little-endian. Sizes above 2^53 are read as infinity, which every bound refuses. */
export const u64le = (at: number): Field<number> => ({
  at,
  bytes: 8,
  read: (v, p) => {
    const high = v.getUint32(p + 4, true);
    return high >= 0x200000 ? Number.POSITIVE_INFINITY : high * 2 ** 32 + v.getUint32(p, true);
  },
});
/** Raw bytes, copied, so that the record does not keep its neighbours alive. */
export const raw = (at: number, bytes: number): Field<Uint8Array> => ({
  at,
  bytes,
  read: (v, p) => new Uint8Array(v.buffer, v.byteOffset + p, bytes).slice(),
});
/** Bytes taken as Latin-1 text, as they stand. */
export const text = (at: number, bytes: number): Field<string> => ({
  at,
  bytes,
  read: (v, p) => String.fromCharCode(...new Uint8Array(v.buffer, v.byteOffset + p, bytes)),
});

export type Fields = Record<string, Field<unknown>>;
export type Values<F> = { [K in keyof F]: F[K] extends Field<infer T> ? T : never };

/**
 * Makes a reader for a fixed record out of its table of fields.
 * @param structure its name in the standard, for messages.
 * @param bytes its length; a field that leaves it is our mistake and throws at once.
 * @returns a reader of `data[0..bytes)`, which throws DiscError `ended-early` when there is less.
 */
export function record<F extends Fields>(structure: string, bytes: number, fields: F) {
  for (const f of Object.values(fields)) {
    if (f.at + f.bytes > bytes) throw new Error(`${structure}: a field leaves the record`);
  }
  return (data: Uint8Array, where: Where): Values<F> => {
    if (data.byteLength < bytes) {
      const at = { ...where, structure };
      throw new DiscError('ended-early', at, `${structure} needs ${bytes} bytes, ${data.byteLength} are left`);
    }
    const view = new DataView(data.buffer, data.byteOffset, bytes);
    return Object.fromEntries(Object.entries(fields).map(([k, f]) => [k, f.read(view, f.at)])) as Values<F>;
  };
}

/**
 * A part of a structure that a length or offset field points to.
 * @throws DiscError `ended-early` when the part is not wholly inside `data`.
 */
export function part(data: Uint8Array, from: number, bytes: number, where: Where): Uint8Array {
  if (from < 0 || bytes < 0 || from + bytes > data.byteLength) {
    throw new DiscError(
      'ended-early',
      { ...where, byteOffset: where.byteOffset + from },
      `${where.structure ?? 'structure'} points ${from + bytes - data.byteLength} bytes beyond its end`,
    );
  }
  return data.subarray(from, from + bytes);
}
