import { WHOLE, around, moved, zoomed } from './map-view';

test('what is under the pointer stays there, and the view never leaves the disc', () => {
  for (const place of [0, 0.3, 1]) {
    let view = WHOLE;
    for (let i = 0; i < 20; i++) {
      const next = zoomed(view, 1.7, place);
      const point = view.from + (view.to - view.from) * place;
      expect(next.from + (next.to - next.from) * place).toBeCloseTo(point, 9);
      view = next;
    }
    expect(view.to - view.from).toBeCloseTo(1 / 4096, 9);
    for (let i = 0; i < 30; i++) view = zoomed(view, 0.5, place);
    expect([view.from, view.to]).toEqual([0, 1]);
  }
});

test('moving stops at both ends', () => {
  const close = zoomed(WHOLE, 4, 0.5);
  expect(moved(close, 0.5).from).toBeCloseTo(0.5, 9);
  expect(moved(close, 99)).toEqual({ from: 0.75, to: 1 });
  expect(moved(close, -99)).toEqual({ from: 0, to: 0.25 });
  expect(moved(WHOLE, 1)).toEqual(WHOLE);
});

test('a stretch that is to be seen stands in the view, wherever it is', () => {
  for (const [from, to] of [
    [0, 0.001],
    [0.4, 0.45],
    [0.999, 1],
    [0, 1],
  ] as const) {
    const view = around(from, to);
    expect(view.from).toBeGreaterThanOrEqual(0);
    expect(view.to).toBeLessThanOrEqual(1 + 1e-12);
    expect(view.from).toBeLessThanOrEqual(from);
    expect(view.to).toBeGreaterThanOrEqual(to);
  }
});
