import { clock } from '../format';

/** A moment of a title, chosen along it; milliseconds. */
export function MomentSlider({
  label,
  value,
  durationMs,
  onChange,
}: {
  label: string;
  value: number;
  durationMs: number;
  onChange: (ms: number) => void;
}) {
  return (
    <>
      <input
        type="range"
        aria-label={label}
        aria-valuetext={clock(value)}
        min={0}
        max={Math.max(1, durationMs - 1)}
        step={Math.max(40, Math.round(durationMs / 2000))}
        value={value}
        onChange={(e) => {
          onChange(Number(e.target.value));
        }}
        className="min-w-0 flex-1 accent-(--accent)"
      />
      <span className="w-[52px] text-right">{clock(value)}</span>
    </>
  );
}
