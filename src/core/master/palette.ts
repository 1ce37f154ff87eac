/**
 * A DVD palette entry (0x00YYCrCb) as RGB, 0xRRGGBB: the form that the VobSub text header asks for.
 * ITU-R BT.601 with studio range.
 */
export function paletteRgb(entry: number): number {
  const y = 1.164 * (((entry >> 16) & 0xff) - 16);
  const cr = ((entry >> 8) & 0xff) - 128;
  const cb = (entry & 0xff) - 128;
  const clamp = (v: number) => Math.max(0, Math.min(255, Math.round(v)));
  return (clamp(y + 1.596 * cr) << 16) | (clamp(y - 0.813 * cr - 0.392 * cb) << 8) | clamp(y + 2.017 * cb);
}

/** CodecPrivate of S_VOBSUB: the picture size and the palette, as text lines. */
export function vobSubHeader(palette: readonly number[], widthPixels: number, heightPixels: number): Uint8Array {
  const colours = palette.map((entry) => paletteRgb(entry).toString(16).padStart(6, '0')).join(', ');
  return new TextEncoder().encode(`size: ${widthPixels}x${heightPixels}\npalette: ${colours}\n`);
}
