import { Block } from '../block';

/**
 * A subpicture: a striped rectangle in the upper left. DVD-Video: sub-picture unit, pixel data of both fields, two control sequences.
 * @param units how long it stands, in steps of 1,024 ticks of 90 kHz. @param mark makes its stripes others.
 */
export function subpicture(width: number, height: number, units: number, mark: number): Uint8Array {
  // Per line a run of one to three, one of a single pixel, four bits each; then sixteen bits that go on to the end of the line.
  const lines = (from: number) => {
    const bytes: number[] = [];
    for (let y = from; y < height; y += 2)
      bytes.push((((1 + ((y + mark) % 3)) << 2) | (1 + ((y >> 1) % 3))) * 16 + (4 | ((mark >> (y % 8)) & 3)), 0, y % 4);
    return bytes;
  };
  const top = lines(0);
  const bottom = lines(1);
  const control = 4 + top.length + bottom.length;
  const [right, low] = [width - 1, height - 1];
  const appears = [
    [0x01],
    [0x03, 0x32, 0x10],
    [0x04, 0xff, 0xf0],
    [0x05, 0, right >> 8, right & 255, 0, low >> 8, low & 255],
    [0x06, 0, 4, (4 + top.length) >> 8, (4 + top.length) & 255],
    [0xff],
  ].flat();
  const second = control + 4 + appears.length;
  const whole = second + 6;
  const block = new Block(whole + (whole & 1));
  block
    .u16(0, block.bytes.byteLength)
    .u16(2, control)
    .put(4, top)
    .put(4 + top.length, bottom);
  block
    .u16(control, 0)
    .u16(control + 2, second)
    .put(control + 4, appears);
  block
    .u16(second, units)
    .u16(second + 2, second)
    .put(second + 4, [0x02, 0xff]);
  if (whole & 1) block.u8(whole, 0xff);
  return block.bytes;
}
