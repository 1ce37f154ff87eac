/** @jest-environment jsdom */
import '@/test-support/page';
import { fireEvent, render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { ChapterStrip } from './chapter-strip';

const chapters = [
  { startMs: 0, name: 'One' },
  { startMs: 4000, name: 'Two' },
  { startMs: 8000, name: 'Three' },
];

function shown() {
  const looked: number[] = [];
  const moved: [number, number][] = [];
  render(
    <ChapterStrip
      chapters={chapters}
      durationMs={10_000}
      hereMs={4500}
      onLook={(ms) => {
        looked.push(ms);
      }}
      onMove={(chapter, ms) => {
        moved.push([chapter, ms]);
      }}
    />,
  );
  const strip = screen.getByTitle(/^Look at a moment/);
  strip.getBoundingClientRect = () => ({
    left: 100,
    width: 500,
    top: 0,
    right: 600,
    bottom: 20,
    height: 20,
    x: 100,
    y: 0,
    toJSON: () => '',
  });
  return { looked, moved, strip };
}

test('a mark is moved by key, finely or in steps of a second, and what it then shows is looked at', async () => {
  const user = userEvent.setup();
  const { looked, moved } = shown();
  // The first chapter begins with the reel: it has no mark.
  expect(screen.getAllByRole('slider').map((s) => s.getAttribute('aria-valuetext'))).toEqual(['00:00:04.000', '00:00:08.000']);
  screen.getByRole('slider', { name: 'Mark of chapter 2' }).focus();
  await user.keyboard('{ArrowRight}{Shift>}{ArrowLeft}{/Shift}{ArrowUp}');
  expect(moved).toEqual([
    [1, 4040],
    [1, 3000],
  ]);
  expect(looked).toEqual([4040, 3000]);
});

test('a mark that is dragged shows where it is, and moves its chapter once, where it is let go', () => {
  const { looked, moved, strip } = shown();
  const mark = screen.getByRole('slider', { name: 'Mark of chapter 3' });
  // jsdom’s pointer events know no places.
  const at = (type: string, clientX: number) => {
    fireEvent(mark, Object.assign(new MouseEvent(type, { bubbles: true, clientX }), { pointerId: 1 }));
  };
  at('pointerdown', 500);
  at('pointermove', 450);
  at('pointermove', 400);
  expect(moved).toEqual([]);
  at('pointerup', 400);
  expect([looked, moved]).toEqual([[7000, 6000], [[2, 6000]]]);
  at('pointermove', 200);
  expect(moved).toHaveLength(1);
  fireEvent.click(strip, { clientX: 350 });
  expect(looked.at(-1)).toBe(5000);
});
