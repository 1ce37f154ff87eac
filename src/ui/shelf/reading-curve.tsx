'use client';

import { CartesianGrid, Line, LineChart, ReferenceDot, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { curveSpeeds, type CurvePart } from '@/core/rescue';
import { bytes } from '../format';
import { AXIS } from '../parts/chart-axis';

interface Point {
  readonly at: number;
  readonly speed: number | null;
  readonly failed: number;
}

function Told({ active, payload }: { active?: boolean; payload?: readonly { payload: Point }[] }) {
  const point = payload?.[0]?.payload;
  if (!active || !point) return null;
  return (
    <div className="rounded-[6px] border border-line bg-card px-2.5 py-1.5 text-[12px] shadow-lg">
      <p>at {bytes(point.at)}</p>
      <p>{point.speed === null ? 'nothing read in large pieces' : `${bytes(point.speed)} a second`}</p>
      {point.failed > 0 && <p>{point.failed} reads failed</p>}
    </div>
  );
}

/** Speed along the address, and where reads failed: a zone that has become slow is the first that will be lost. */
export function ReadingCurveChart({ parts, sizeBytes }: { parts: readonly CurvePart[]; sizeBytes: number }) {
  const speeds = curveSpeeds(parts);
  const data = parts.map((p, i): Point => ({ at: (i / parts.length) * sizeBytes, speed: speeds[i] ?? null, failed: p.failed }));
  return (
    <div role="img" aria-label="Reading speed along the disc" className="h-[190px]">
      <ResponsiveContainer width="100%" height="100%">
        <LineChart data={data} margin={{ top: 8, right: 10, bottom: 4, left: 4 }}>
          <CartesianGrid stroke="var(--faint)" vertical={false} />
          <XAxis {...AXIS} type="number" dataKey="at" domain={[0, sizeBytes]} tickFormatter={(v: number) => bytes(v)} />
          <YAxis {...AXIS} width={76} domain={[0, 'auto']} tickFormatter={(v: number) => `${bytes(v)}/s`} />
          <Tooltip content={<Told />} cursor={{ stroke: 'var(--third)' }} />
          <Line dataKey="speed" stroke="var(--accent)" strokeWidth={1.5} dot={false} isAnimationActive={false} connectNulls={false} />
          {data.map((p) => p.failed > 0 && <ReferenceDot key={p.at} x={p.at} y={0} r={3} fill="var(--damaged)" stroke="none" />)}
        </LineChart>
      </ResponsiveContainer>
    </div>
  );
}
