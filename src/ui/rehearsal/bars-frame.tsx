'use client';

import { useRef, useState, type CSSProperties, type PointerEvent } from 'react';
import type { Bars } from '@/core/reels';
import { Button, Mark } from '../parts/controls';
import { TextField } from '../parts/fields';
import type { Rehearsed } from './rehearsed';

const SIDES = ['top', 'bottom', 'left', 'right'] as const;
type Side = (typeof SIDES)[number];
const NONE: Bars = { top: 0, bottom: 0, left: 0, right: 0 };
/** Rows and columns that stay in any case. */
const LEAST_LEFT = 16;
const FEW = 2;
const MANY = 16;

/** The bars of a reel on a picture of it: each edge is dragged, moved by key, or written as a number. */
export function BarsFrame({
  on,
  picture,
  shape,
  cuts,
  onBars,
}: {
  on: Rehearsed;
  picture: string;
  shape: number;
  /** The recipe cuts bars off. */
  cuts: boolean;
  onBars: (bars: Bars | null) => void;
}) {
  const { widthPixels, heightPixels } = on.title.video;
  const measured = on.title.measured?.picture?.bars ?? null;
  const [dragged, drag] = useState<Bars | null>(null);
  const frame = useRef<HTMLDivElement>(null);
  const bars = dragged ?? on.reel.bars ?? measured ?? NONE;
  const sizeOf = (side: Side) => (side === 'top' || side === 'bottom' ? heightPixels : widthPixels);
  const OTHER = { top: 'bottom', bottom: 'top', left: 'right', right: 'left' } as const;
  const withSide = (side: Side, wished: number): Bars => {
    const most = sizeOf(side) - bars[OTHER[side]] - LEAST_LEFT;
    return { ...bars, [side]: Math.max(0, Math.min(most, Math.round(wished))) };
  };
  const at = (side: Side, e: PointerEvent): number => {
    const box = frame.current?.getBoundingClientRect();
    if (!box || box.width === 0 || box.height === 0) return bars[side];
    const [x, y] = [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height];
    return { top: y, bottom: 1 - y, left: x, right: 1 - x }[side] * sizeOf(side);
  };
  const percent = (side: Side) => `${(bars[side] / sizeOf(side)) * 100}%`;
  const place: Record<Side, CSSProperties> = {
    top: { left: 0, right: 0, top: percent('top') },
    bottom: { left: 0, right: 0, bottom: percent('bottom') },
    left: { top: 0, bottom: 0, left: percent('left') },
    right: { top: 0, bottom: 0, right: percent('right') },
  };
  const beyond = measured ? SIDES.filter((side) => bars[side] > measured[side]) : [];
  return (
    <div>
      <div
        ref={frame}
        className="relative mx-auto max-h-[52dvh] w-full touch-none bg-ink/10 select-none"
        style={{ aspectRatio: shape, maxWidth: `calc(52dvh * ${shape})` }}
      >
        <div className="absolute inset-0 overflow-hidden rounded-[3px]">
          {/* eslint-disable-next-line @next/next/no-img-element */}
          <img src={picture} alt="A picture of the title, as on the disc" className="absolute inset-0 h-full w-full" draggable={false} />
          <span
            className="pointer-events-none absolute shadow-[0_0_0_4000px_color-mix(in_srgb,var(--wash)_72%,transparent)]"
            style={{ top: percent('top'), bottom: percent('bottom'), left: percent('left'), right: percent('right') }}
          />
        </div>
        {SIDES.map((side) => {
          const isRow = side === 'top' || side === 'bottom';
          return (
            <div
              key={side}
              role="slider"
              tabIndex={0}
              aria-label={`Bar at the ${side}`}
              aria-orientation={isRow ? 'vertical' : 'horizontal'}
              aria-valuemin={0}
              aria-valuemax={sizeOf(side) - LEAST_LEFT}
              aria-valuenow={bars[side]}
              aria-valuetext={`${bars[side]} pixels`}
              className={`absolute flex items-center justify-center ${isRow ? '-my-2 h-4 cursor-ns-resize' : '-mx-2 w-4 cursor-ew-resize'}`}
              style={place[side]}
              onPointerDown={(e) => {
                e.currentTarget.setPointerCapture(e.pointerId);
                drag(bars);
              }}
              onPointerMove={(e) => {
                if (dragged) drag(withSide(side, at(side, e)));
              }}
              onPointerUp={() => {
                if (dragged) onBars(dragged);
                drag(null);
              }}
              onPointerCancel={() => {
                drag(null);
              }}
              onKeyDown={(e) => {
                const inward = { top: 'ArrowDown', bottom: 'ArrowUp', left: 'ArrowRight', right: 'ArrowLeft' }[side];
                const outward = { top: 'ArrowUp', bottom: 'ArrowDown', left: 'ArrowLeft', right: 'ArrowRight' }[side];
                if (e.key !== inward && e.key !== outward) return;
                e.preventDefault();
                onBars(withSide(side, bars[side] + (e.key === inward ? 1 : -1) * (e.shiftKey ? MANY : FEW)));
              }}
            >
              <span className={`bg-accent shadow-[0_0_0_1px_var(--paper)] ${isRow ? 'h-0.5 w-full' : 'h-full w-0.5'}`} />
              <span className={`absolute rounded-full border border-paper bg-accent ${isRow ? 'h-2 w-9' : 'h-9 w-2'}`} />
            </div>
          );
        })}
      </div>
      <div className="flex flex-wrap items-center gap-3 pt-2">
        {SIDES.map((side) => (
          <label key={side} className="flex items-center gap-1.5 text-second">
            {side}
            <TextField
              label={`Pixels at the ${side}`}
              type="number"
              min={0}
              step={FEW}
              className="w-16"
              value={bars[side]}
              onChange={(e) => {
                onBars(withSide(side, Number(e.target.value)));
              }}
            />
          </label>
        ))}
        <Button
          className="px-2 py-0.5"
          disabled={!on.reel.bars}
          onClick={() => {
            onBars(null);
          }}
        >
          {measured ? 'As samples say' : 'No bars'}
        </Button>
      </div>
      <p className="pt-1 text-[12px] text-second" aria-live="polite">
        {beyond.length > 0 ? (
          <>
            <Mark state="eyes" /> Samples show picture beyond that at the {beyond.join(', ')}.
          </>
        ) : measured ? (
          'Nothing is cut off in which samples show picture.'
        ) : (
          'This title was not measured: look at bright moments before you trust an edge.'
        )}{' '}
        {!cuts && 'This recipe keeps black bars: choose one that cuts them off.'}
      </p>
    </div>
  );
}
