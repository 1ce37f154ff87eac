'use client';

import { CartesianGrid, Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import type { StageSpeeds } from '@/core/queue';
import type { Stage } from '@/contract';
import { bytes, clock } from '../format';
import { AXIS } from '../parts/chart-axis';
import { STAGE } from '../words-queue';

/** Films are read and proven by the byte, and encoded by their playing time. */
const speedText = (rate: number, unit: StageSpeeds['unit']): string =>
  unit === 'bytes' ? `${bytes(rate)}/s` : `${(rate / 1000).toFixed(1)} × playing time`;

interface Point {
  readonly at: number;
  readonly stage: string;
  readonly bytes?: number | null;
  readonly ms?: number | null;
}

function Told({ active, payload }: { active?: boolean; payload?: readonly { payload: Point }[] }) {
  const point = payload?.[0]?.payload;
  if (!active || !point) return null;
  const unit = point.ms === undefined ? 'bytes' : 'ms';
  const rate = point[unit];
  return (
    <div className="rounded-[6px] border border-line bg-card px-2.5 py-1.5 text-[12px] shadow-lg">
      <p>{point.stage}</p>
      <p>
        after {clock(point.at * 1000)}: {rate === null || rate === undefined ? 'it stood still' : speedText(rate, unit)}
      </p>
    </div>
  );
}

/** How fast a job was along its time: bytes a second on the left, times the playing time on the right. */
export function SpeedChart({ speeds }: { speeds: readonly StageSpeeds[] }) {
  const data = speeds.flatMap(({ stage, unit, points }): Point[] => [
    ...points.map(([at, rate]) => ({ at, stage: STAGE[stage as Stage], [unit]: rate })),
    // Stages are not joined by a line.
    { at: points.at(-1)?.[0] ?? 0, stage: STAGE[stage as Stage], bytes: null, ms: null },
  ]);
  const has = (unit: StageSpeeds['unit']) => speeds.some((s) => s.unit === unit);
  return (
    <div role="img" aria-label="How fast it was" className="mt-1 h-[150px]">
      <ResponsiveContainer width="100%" height="100%">
        <LineChart data={data} margin={{ top: 8, right: 4, bottom: 0, left: 4 }}>
          <CartesianGrid stroke="var(--faint)" vertical={false} />
          <XAxis {...AXIS} type="number" dataKey="at" domain={[0, 'dataMax']} tickFormatter={(v: number) => clock(v * 1000)} />
          {has('bytes') && (
            <YAxis {...AXIS} yAxisId="bytes" width={76} domain={[0, 'auto']} tickFormatter={(v: number) => speedText(v, 'bytes')} />
          )}
          {has('ms') && (
            <YAxis
              {...AXIS}
              yAxisId="ms"
              orientation={has('bytes') ? 'right' : 'left'}
              width={44}
              domain={[0, 'auto']}
              tickFormatter={(v: number) => `${(v / 1000).toFixed(1)} ×`}
            />
          )}
          <Tooltip content={<Told />} cursor={{ stroke: 'var(--third)' }} />
          {has('bytes') && (
            <Line yAxisId="bytes" dataKey="bytes" stroke="var(--accent)" strokeWidth={1.5} dot={false} isAnimationActive={false} />
          )}
          {has('ms') && <Line yAxisId="ms" dataKey="ms" stroke="var(--planned)" strokeWidth={1.5} dot={false} isAnimationActive={false} />}
        </LineChart>
      </ResponsiveContainer>
    </div>
  );
}
