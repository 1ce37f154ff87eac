'use client';

import { useRef, useState } from 'react';

const STEP = 0.05;

/** Two pictures over each other, with an edge between them that is dragged, or moved with the arrow keys. */
export function Curtain({
  before,
  after,
  beforeName,
  afterName,
  shape,
}: {
  before: string;
  after: string;
  beforeName: string;
  afterName: string;
  shape: number;
}) {
  const [at, setAt] = useState(0.5);
  const frame = useRef<HTMLDivElement>(null);
  const follow = (clientX: number) => {
    const box = frame.current?.getBoundingClientRect();
    if (box && box.width > 0) setAt(Math.min(1, Math.max(0, (clientX - box.left) / box.width)));
  };
  const picture = 'pointer-events-none absolute inset-0 h-full w-full select-none';
  const label = 'pointer-events-none absolute top-2 rounded-[3px] bg-ink/75 px-1.5 text-[12px] text-paper';
  return (
    <div
      ref={frame}
      className="relative mx-auto max-h-[56dvh] w-full touch-none overflow-hidden rounded-[3px] bg-ink/10"
      style={{ aspectRatio: shape, maxWidth: `calc(56dvh * ${shape})` }}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        follow(e.clientX);
      }}
      onPointerMove={(e) => {
        if (e.buttons > 0) follow(e.clientX);
      }}
    >
      {/* eslint-disable-next-line @next/next/no-img-element */}
      <img src={before} alt={beforeName} className={picture} draggable={false} />
      {/* eslint-disable-next-line @next/next/no-img-element */}
      <img src={after} alt={afterName} className={picture} draggable={false} style={{ clipPath: `inset(0 0 0 ${at * 100}%)` }} />
      <span className={`${label} left-2`}>{beforeName}</span>
      <span className={`${label} right-2`}>{afterName}</span>
      <div
        role="slider"
        tabIndex={0}
        aria-label="Edge between before and after"
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(at * 100)}
        className="absolute inset-y-0 -ml-2.5 flex w-5 cursor-ew-resize justify-center"
        style={{ left: `${at * 100}%` }}
        onKeyDown={(e) => {
          const by = { ArrowLeft: -STEP, ArrowRight: STEP, Home: -1, End: 1 }[e.key];
          if (by === undefined) return;
          e.preventDefault();
          setAt(Math.min(1, Math.max(0, at + by)));
        }}
      >
        <span className="h-full w-0.5 bg-paper shadow-[0_0_0_1px_var(--ink)]" />
      </div>
    </div>
  );
}
