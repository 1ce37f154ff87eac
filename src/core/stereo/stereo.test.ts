import { PAIRS, decodedPictures, rewritten, samplePair } from '@/test-support/two-views';

/** Pictures without copies: each of these is the base picture once more, between both of its moment. @throws where it is not. */
function withoutCopies(
  found: readonly string[],
  [base, dependent]: readonly [readonly string[], readonly string[]],
): { left: string[]; right: string[]; copies: number } {
  const rest = [...found];
  const [left, right]: [string[], string[]] = [[], []];
  let copies = 0;
  for (const [i] of base.entries()) {
    left.push(rest.shift() ?? '');
    if (rest[0] !== dependent[i] && rest[0] === left.at(-1)) copies += rest.shift() ? 1 : 0;
    right.push(rest.shift() ?? '');
  }
  return { left, right, copies };
}

describe('both views as one stream', () => {
  test.each(PAIRS)('%s: FFmpeg decodes every picture of both views as their encoder had them', (name) => {
    const { units, sums } = samplePair(name);
    const { stream, met } = rewritten(units);
    const { sums: found, complaints } = decodedPictures(stream);
    expect(complaints).toBe('');
    expect(found).toHaveLength(2 * units.length + met.copies);
    expect(withoutCopies(found, sums)).toEqual({ left: sums[0], right: sums[1], copies: met.copies });
    expect(met).toMatchObject({ accessUnits: units.length, substitutes: 0, leading: 0, gaps: 0 });
    expect(met.copies > 0).toBe(name === 'needs-copies');
  });
});
