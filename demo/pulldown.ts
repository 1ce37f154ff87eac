/** Which field comes first and whether it is shown again, four pictures in turn: two and three fields (13818-2 6.3.10). */
export const CADENCE = [
  { top: true, again: true },
  { top: false, again: false },
  { top: false, again: true },
  { top: true, again: false },
] as const;

/** Makes film that is coded at its own rate into film for television, which says by flags how it is to be shown. */
export function withPulldown(data: Buffer): Buffer {
  const out = Buffer.from(data);
  let shownBefore = 0;
  let most = -1;
  let shown = 0;
  for (let at = out.indexOf('000001', 0, 'hex'); at >= 0; at = out.indexOf('000001', at + 3, 'hex')) {
    const b = (i: number) => out[at + i] ?? 0;
    if (b(3) === 0xb3)
      out[at + 7] = (b(7) & 0xf0) | 4; // frame_rate_code: 30000/1001
    else if (b(3) === 0xb8) {
      shownBefore += most + 1;
      most = -1;
    } else if (b(3) === 0) {
      const reference = (b(4) << 2) | (b(5) >> 6);
      most = Math.max(most, reference);
      shown = shownBefore + reference;
    } else if (b(3) === 0xb5 && b(4) >> 4 === 1)
      out[at + 5] = b(5) & ~8; // progressive_sequence
    else if (b(3) === 0xb5 && b(4) >> 4 === 8) {
      const { top, again } = CADENCE[shown % 4] ?? CADENCE[0];
      out[at + 7] = (b(7) & ~0x82) | (top ? 0x80 : 0) | (again ? 2 : 0);
      out[at + 8] = b(8) | 0x80;
    }
  }
  return out;
}
