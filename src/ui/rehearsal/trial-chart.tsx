'use client';

import { CartesianGrid, ErrorBar, ResponsiveContainer, Scatter, ScatterChart, Tooltip, XAxis, YAxis } from 'recharts';
import { bytes } from '../format';
import { AXIS } from '../parts/chart-axis';

/** One outcome in the plot. */
export interface TrialPoint {
  readonly name: string;
  readonly bytes: number;
  readonly off: readonly [number, number];
  readonly ssim: number;
  readonly worst: number;
}

function Told({ active, payload }: { active?: boolean; payload?: readonly { payload: TrialPoint }[] }) {
  const point = payload?.[0]?.payload;
  if (!active || !point) return null;
  return (
    <div className="rounded-[6px] border border-line bg-card px-2.5 py-1.5 text-[12px] shadow-lg">
      <p className="font-medium">{point.name}</p>
      <p>{bytes(point.bytes)} for the picture</p>
      <p>
        SSIM {point.ssim.toFixed(4)}, worst picture {point.worst.toFixed(4)}
      </p>
    </div>
  );
}

/** Size against nearness: to the left is smaller, above is nearer. The line down from a point ends at its worst picture. */
export function TrialChart({ points, wanted }: { points: readonly TrialPoint[]; wanted: number | null }) {
  const least = Math.min(...points.map((p) => p.worst), wanted ?? 1);
  const floor = Math.max(0, Math.floor((least - 0.005) * 100) / 100);
  const data = points.map((p) => ({
    ...p,
    down: [p.ssim - p.worst, 0] as [number, number],
    sides: [p.off[0], p.off[1]] as [number, number],
  }));
  return (
    <div role="img" aria-label="Size of the picture against how near it is to the source" className="h-[230px]">
      <ResponsiveContainer width="100%" height="100%">
        <ScatterChart margin={{ top: 8, right: 16, bottom: 18, left: 4 }}>
          <CartesianGrid stroke="var(--faint)" />
          <XAxis
            {...AXIS}
            type="number"
            dataKey="bytes"
            domain={[0, 'auto']}
            tickFormatter={(v: number) => bytes(v)}
            label={{ value: 'picture of the whole', position: 'insideBottom', offset: -12, fill: 'var(--second)', fontSize: 12 }}
          />
          <YAxis {...AXIS} type="number" dataKey="ssim" width={52} domain={[floor, 1]} tickFormatter={(v: number) => v.toFixed(3)} />
          <Tooltip content={<Told />} cursor={false} />
          <Scatter data={data} fill="var(--accent)" line={{ stroke: 'var(--accent)', strokeWidth: 1 }} isAnimationActive={false}>
            <ErrorBar dataKey="down" direction="y" stroke="var(--third)" width={4} />
            <ErrorBar dataKey="sides" direction="x" stroke="var(--third)" width={4} />
          </Scatter>
        </ScatterChart>
      </ResponsiveContainer>
    </div>
  );
}
