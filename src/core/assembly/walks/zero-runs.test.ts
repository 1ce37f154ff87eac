import { seeded } from '@/test-support/random';
import { ZeroRuns } from './zero-runs';

/** Units as an encoder leaves them: no three zeros in a row but before a start code. */
function stream(random: ReturnType<typeof seeded>): number[] {
  const bytes: number[] = [];
  for (let unit = 0; unit < 6; unit++) {
    bytes.push(...Array.from({ length: random.int(4) }, () => 0), 0, 0, 1);
    for (let i = random.int(400); i >= 0; i--) bytes.push(bytes.at(-1) === 0 ? 1 + random.int(255) : random.int(256));
    if (bytes.at(-1) === 0) bytes.push(0x80);
  }
  return bytes;
}

/** All that is found, as places in the stream, in pieces as they come. */
function found(bytes: readonly number[], random: ReturnType<typeof seeded>): number[] {
  const runs = new ZeroRuns();
  const data = Uint8Array.from(bytes);
  const all: number[] = [];
  for (let from = 0; from < data.byteLength;) {
    const to = Math.min(data.byteLength, from + 1 + random.int(300));
    // Beyond the piece stands what the buffer held before: it is not looked at.
    const at = runs.find(data, from, to, false);
    if (at >= 0) all.push(at);
    from = to;
  }
  return all;
}

test('units that are whole have none; a packet of zeros inside one is found where it stands, however the bytes come', () => {
  for (let seed = 1; seed <= 400; seed++) {
    const random = seeded(seed);
    const bytes = stream(random);
    expect({ seed, found: found(bytes, random) }).toEqual({ seed, found: [] });
    const at = 20 + random.int(bytes.length - 220);
    const hurt = bytes.map((b, i) => (i >= at && i < at + 184 ? 0 : b));
    const behind = hurt.slice(at + 184).find((b) => b !== 0);
    // Zeros that a start code ends, and those at the very end, could be an encoder's own.
    const canBeKnown = behind !== undefined && behind !== 1;
    const places = found(hurt, random);
    expect({ seed, known: places.length > 0 }).toEqual({ seed, known: canBeKnown });
    for (const place of places) expect(place).toBeLessThanOrEqual(hurt.findIndex((b, i) => i >= at + 184 && b !== 0));
  }
});
