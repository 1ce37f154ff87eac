'use client';

import { Checkbox } from 'radix-ui';
import { Check } from 'lucide-react';
import type { ReactNode } from 'react';
import type { Title } from '@/core/reading';
import { ruleThatDecides, withTrack, type TrackDecision } from '@/core/reels';
import type { DraftReel } from '@/store/db';
import { saveRules } from '@/store/rules';
import { languageName } from '../../format';
import { StateText } from '../../parts/controls';
import { GROUND, audioText, purposeText, subtitleText } from '../../words';
import { useBench } from '../bench-context';
import { Levels } from './measures';
import { Section } from './section';

function TrackRow({
  checked,
  disabled,
  onChange,
  language,
  what,
  aside,
  name,
}: {
  checked: boolean;
  disabled: boolean;
  onChange: (checked: boolean) => void;
  language: string;
  what: string;
  aside: ReactNode;
  name: string;
}) {
  return (
    <label className={`grid grid-cols-[22px_114px_minmax(0,1fr)_auto] items-center py-[3px] ${checked ? '' : 'text-second'}`}>
      <Checkbox.Root
        aria-label={name}
        checked={checked}
        disabled={disabled}
        onCheckedChange={(v) => {
          onChange(v === true);
        }}
        className="grid size-3.5 place-items-center rounded-[3px] border border-second bg-card data-[state=checked]:border-accent data-[state=checked]:bg-accent disabled:opacity-50"
      >
        <Checkbox.Indicator>
          <Check size={11} strokeWidth={3} className="text-on-accent" aria-hidden />
        </Checkbox.Indicator>
      </Checkbox.Root>
      <span className="truncate font-semibold">{language}</span>
      <span className="truncate">{what}</span>
      <span className="inline-flex items-center gap-2 pl-2 text-[12px] text-second">{aside}</span>
    </label>
  );
}

/** Why the house rules take or leave a track; where the user has chosen otherwise, the way to make a rule of it. */
function GroundAside({
  title,
  kind,
  stream,
  draft,
}: {
  title: Title;
  kind: TrackDecision['kind'];
  stream: number;
  draft: DraftReel | null;
}) {
  const { disc, proposal, rules } = useBench();
  const decision = proposal.decisions.find((d) => d.title === title.number);
  const made = decision?.tracks.find((t) => t.kind === kind && t.stream === stream);
  if (!made || !draft) return null;
  const taken = draft.reel[kind].some((t) => t.stream === stream);
  if (taken === made.taken) return taken ? null : <span>{GROUND[made.ground]}</span>;
  const next = ruleThatDecides(disc.reading, disc.findings, rules, { title: title.number, kind, stream, taken });
  return (
    <span className="inline-flex items-center gap-1.5">
      <span title={`The house rules would ${made.taken ? 'take' : 'leave'} it: ${GROUND[made.ground]}`}>overruled</span>
      {next && (
        <button
          type="button"
          className="text-accent hover:underline"
          onClick={(e) => {
            e.preventDefault();
            void saveRules(next);
          }}
        >
          make this a rule
        </button>
      )}
    </span>
  );
}

/** What was measured of an audio track, beside it. */
function measuredAside(title: Title, stream: number): ReactNode {
  const audio = title.measured?.audio.find((a) => a.stream === stream);
  if (!audio) return null;
  const place = title.audio.findIndex((t) => t.stream === audio.sameAs);
  return (
    <span className="inline-flex items-center gap-2">
      {audio.sameAs !== null && <StateText state="eyes">same as {place + 1}</StateText>}
      {audio.silent ? <StateText state="eyes">silence</StateText> : <Levels audio={audio} />}
    </span>
  );
}

/** The tracks of a title, and which of them its reel takes. */
export function Tracks({ title, draft }: { title: Title; draft: DraftReel | null }) {
  const { commands } = useBench();
  const reel = draft?.reel ?? null;
  const locked = draft?.jobId !== null;
  const take = (kind: TrackDecision['kind'], stream: number) => (on: boolean) => {
    if (draft) commands.change(draft.id, withTrack(draft.reel, title, kind, stream, on));
  };
  return (
    <>
      <Section name="Audio">
        {title.audio.length === 0 && <p className="text-second">No audio track.</p>}
        {title.audio.map((t) => (
          <TrackRow
            key={t.stream}
            name={['Audio: ' + languageName(t.language), audioText(t), purposeText(t)].filter(Boolean).join(', ')}
            checked={reel?.audio.some((a) => a.stream === t.stream) ?? false}
            disabled={locked || t.codec === 'unknown'}
            onChange={take('audio', t.stream)}
            language={languageName(t.language)}
            what={audioText(t)}
            aside={
              <>
                {measuredAside(title, t.stream)}
                <GroundAside title={title} kind="audio" stream={t.stream} draft={draft} />
                {purposeText(t)}
              </>
            }
          />
        ))}
      </Section>
      <Section name="Subtitles">
        {title.subtitles.length === 0 && <p className="text-second">No subtitle track.</p>}
        {title.subtitles.map((t) => (
          <TrackRow
            key={t.stream}
            name={`Subtitles: ${languageName(t.language)}`}
            checked={reel?.subtitles.some((s) => s.stream === t.stream) ?? false}
            disabled={locked}
            onChange={take('subtitles', t.stream)}
            language={languageName(t.language)}
            what={subtitleText(t.codec)}
            aside={
              <>
                <GroundAside title={title} kind="subtitles" stream={t.stream} draft={draft} />
                {purposeText(t)}
              </>
            }
          />
        ))}
      </Section>
    </>
  );
}
