'use client';

import { EYES, type EncoderState, type Eyes } from '@/contract';
import { Mark } from './controls';
import { Select } from './fields';
import { useKept } from './use-kept';

const EYE_NAMES: Readonly<Record<Eyes, string>> = {
  first: 'the first view only',
  left: 'the left eye’s view',
  right: 'the right eye’s view',
  both: 'both eyes, side by side',
  glasses: 'both, for red and cyan glasses',
};

/** What is shown of two views, as it was chosen last; and why not both, where FFmpeg can not decode them. */
export function useEyes(hasTwo: boolean, encoders: readonly EncoderState[] = []) {
  const [kept, keepEyes] = useKept('bench-eyes', EYES, 'first');
  const unable = encoders.find((e) => e.name === 'both views' && !e.works)?.reason ?? null;
  return { eyes: hasTwo && unable === null ? kept : ('first' as const), keepEyes, unable };
}

/** What is shown of a film with two views; where FFmpeg can not decode both, why. */
export function EyesRow({ eyes, unable, onChange }: { eyes: Eyes; unable: string | null; onChange: (eyes: Eyes) => void }) {
  return (
    <div className="flex items-center gap-2 pt-1 text-[12px] text-second">
      <span className="smallcaps">Shown</span>
      {unable !== null ? (
        <span>
          <Mark state="eyes" /> The first view only: {unable}. Masters keep both.
        </span>
      ) : (
        <Select
          label="Eyes that are shown"
          value={eyes}
          options={EYES.map((value) => ({ value, name: EYE_NAMES[value] }))}
          onChange={onChange}
          className="min-w-0 flex-1"
        />
      )}
    </div>
  );
}
