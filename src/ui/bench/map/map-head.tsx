import { Minus, Plus } from 'lucide-react';
import { bytes, clock } from '../../format';
import { Button } from '../../parts/controls';
import { Switch } from '../../parts/switch';
import { useWidth } from '../../parts/use-width';
import type { MapView } from './map-view';

export type MapShape = 'place' | 'time' | 'table';

/** How the map is drawn, and how close. */
export function MapControls({
  shape,
  onShape,
  isWhole,
  closer,
  farther,
  whole,
}: {
  shape: MapShape;
  onShape: (shape: MapShape) => void;
  isWhole: boolean;
  closer: () => void;
  farther: () => void;
  whole: () => void;
}) {
  return (
    <span className="flex shrink-0 items-center gap-2">
      <Switch
        label="Shape"
        value={shape}
        onChange={onShape}
        options={[
          { value: 'place', name: 'by place on disc' },
          { value: 'time', name: 'by playing time' },
          { value: 'table', name: 'table' },
        ]}
      />
      {shape !== 'table' && (
        <span className="flex items-center">
          <Button
            tone="quiet"
            aria-label="Farther"
            title="Farther (−, Ctrl and wheel)"
            className="px-1"
            disabled={isWhole}
            onClick={farther}
          >
            <Minus size={13} aria-hidden />
          </Button>
          <Button tone="quiet" aria-label="Closer" title="Closer (+, Ctrl and wheel)" className="px-1" onClick={closer}>
            <Plus size={13} aria-hidden />
          </Button>
          {!isWhole && (
            <Button tone="quiet" title="The whole map (0)" className="px-1" onClick={whole}>
              whole
            </Button>
          )}
        </span>
      )}
    </span>
  );
}

/** The widest mark, "46.5 MB", with room beside it. */
const MARK_WIDTH = 72;
const MOST_MARKS = 14;

/** What stands where along the lanes. */
export function Axis({ length, unit, view }: { length: number; unit: 'place' | 'time'; view: MapView }) {
  const [ref, width] = useWidth();
  const marks = Math.max(2, Math.min(MOST_MARKS, Math.floor(width / MARK_WIDTH)));
  return (
    <div ref={ref} className="relative h-6 border-b border-faint text-[11px] text-third" aria-hidden>
      {Array.from({ length: marks }, (_, i) => {
        const value = length * (view.from + ((view.to - view.from) * i) / (marks - 1));
        return (
          <span
            key={i}
            data-mark
            className="absolute top-1 -translate-x-1/2 whitespace-nowrap last:-translate-x-full first:translate-x-0"
            style={{ left: `${(100 * i) / (marks - 1)}%` }}
          >
            {unit === 'place' ? (value < 1 ? '0' : bytes(value)) : clock(value)}
          </span>
        );
      })}
    </div>
  );
}
