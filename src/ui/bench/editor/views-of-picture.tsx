'use client';

import type { ReactNode } from 'react';
import { looksPacked, looksSwapped, type Reading, type Title } from '@/core/reading';
import { MOST_DEPTH, depthInFront, otherEyes, type OtherEye, type Reel } from '@/core/reels';
import { Button, Mark } from '../../parts/controls';
import { NumberField, Select } from '../../parts/fields';
import { useBench } from '../bench-context';

const ONE = 'one';
const WAYS = [
  { value: ONE, name: 'one view' },
  { value: 'beside left', name: 'both eyes side by side, the left one’s first' },
  { value: 'beside right', name: 'both eyes side by side, the right one’s first' },
  { value: 'below left', name: 'both eyes over-under, the left one’s above' },
  { value: 'below right', name: 'both eyes over-under, the right one’s above' },
] as const;

const packedOf = (way: string): Reel['packed'] => {
  const [packing, first] = way.split(' ');
  if (packing !== 'beside' && packing !== 'below') return null;
  return { packing, first: first === 'right' ? 'right' : 'left' };
};

const wayOf = ({ title, angle, eye }: OtherEye): string => `title ${title} ${angle} ${eye}`;
const angleOf = ({ titles }: Reading, { title, angle }: OtherEye): string =>
  (titles.find((t) => t.number === title)?.angles ?? 1) > 1 ? `, angle ${angle},` : '';

interface PictureProps {
  readonly title: Title;
  readonly reel: Reel;
  readonly onChange: (reel: Reel) => void;
}

/** What samples show, and the one thing to do about it. */
function Offer({ children, name, act }: { readonly children: ReactNode; readonly name: string; readonly act: () => void }) {
  return (
    <span className="flex items-center gap-2 text-second">
      <Mark state="eyes" />
      <span>{children}</span>
      <Button className="px-2 py-0" onClick={act}>
        {name}
      </Button>
    </span>
  );
}

/** How far before or behind the screen subtitles stand that are drawn into copies with both eyes. */
function Depth({ title, reel, onChange }: PictureProps) {
  if (reel.subtitles.length + (reel.added ?? []).length === 0) return null;
  const depth = reel.subtitleDepth ?? null;
  const inFront = depthInFront(title, reel);
  return (
    <>
      <span
        title={`Where a recipe draws subtitles into both eyes’ pictures: pixels of 1,920 in each, above 0 in front of the screen, below 0 behind it; ${MOST_DEPTH} at most`}
      >
        <NumberField
          label="Depth of drawn subtitles"
          before="subtitles drawn"
          after={!depth ? 'at the screen' : depth > 0 ? 'in front of the screen' : 'behind the screen'}
          value={depth}
          usual="0"
          narrow
          disabled={false}
          onChange={(wished) => {
            onChange({ ...reel, subtitleDepth: wished && Math.max(-MOST_DEPTH, Math.min(MOST_DEPTH, Math.round(wished))) });
          }}
        />
      </span>
      {inFront !== null && depth === null && (
        <Offer
          act={() => {
            onChange({ ...reel, subtitleDepth: inFront });
          }}
          name={`Draw them ${inFront} pixels in front`}
        >
          Samples show things in front of the screen where subtitles are drawn.
        </Offer>
      )}
    </>
  );
}

/** Which eye the first of two views is: discs say it, and some say it wrong. */
function FirstEye({ title, baseIsRight, reel, onChange }: PictureProps & { baseIsRight: boolean }) {
  const told = baseIsRight ? 'right' : 'left';
  const other = baseIsRight ? 'left' : 'right';
  const eyes = title.measured?.picture?.eyes;
  return (
    <section aria-label="Picture of the reel" className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <h3 className="smallcaps">Picture</h3>
      <Select
        label="Which eye the first view is"
        value={reel.firstEye ?? 'told'}
        options={[
          { value: 'told', name: `two views, the ${told} eye’s first, as the disc says` },
          { value: 'left', name: 'two views, the left eye’s first' },
          { value: 'right', name: 'two views, the right eye’s first' },
        ]}
        onChange={(eye) => {
          onChange({ ...reel, firstEye: eye === 'told' ? null : eye });
        }}
      />
      <Depth title={title} reel={reel} onChange={onChange} />
      {eyes?.refused && (
        <span className="flex items-center gap-2 text-second">
          <Mark state="eyes" />
          Copies show the first view only, a master keeps both. {eyes.refused}.
        </span>
      )}
      {eyes && looksSwapped(title) && reel.firstEye !== other && (
        <Offer
          name="Swap them"
          act={() => {
            onChange({ ...reel, firstEye: other });
          }}
        >
          In {eyes.swapped} of {eyes.told} samples what is above stands before what is below: the eyes look swapped.
        </Offer>
      )}
      {eyes && eyes.told > 0 && !looksSwapped(title) && (
        <span className="text-second">
          Samples agree: in {eyes.told - eyes.swapped} of {eyes.told} what is above lies behind what is below.
        </span>
      )}
    </section>
  );
}

/** What a reel's picture holds: one view, or both eyes', which no disc says of such a picture. Samples may show it. */
export function ViewsOfPicture({ title, reel, onChange }: PictureProps) {
  const { disc } = useBench();
  if (title.video.secondView)
    return <FirstEye title={title} baseIsRight={title.video.secondView.baseIsRight} reel={reel} onChange={onChange} />;
  const { packed, otherEye } = reel;
  const others = otherEyes(disc.reading, title, reel);
  const looks = looksPacked(title);
  const set = (next: Reel['packed'], other: Reel['otherEye'] = null) => {
    onChange({ ...reel, packed: next, otherEye: other });
  };
  return (
    <section aria-label="Picture of the reel" className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <h3 className="smallcaps">Picture</h3>
      <Select
        label="What the picture holds"
        value={otherEye ? wayOf(otherEye) : packed ? `${packed.packing} ${packed.first}` : ONE}
        options={[
          ...WAYS,
          ...others.map((o) => ({ value: wayOf(o), name: `title ${o.title}${angleOf(disc.reading, o)} is what the ${o.eye} eye sees` })),
        ]}
        onChange={(way) => {
          set(packedOf(way), others.find((o) => wayOf(o) === way) ?? null);
        }}
      />
      {otherEye && <Depth title={title} reel={reel} onChange={onChange} />}
      {looks && packed?.packing !== looks && (
        <Offer
          act={() => {
            set({ packing: looks, first: 'left' });
          }}
          name="Say so"
        >
          Its {looks === 'beside' ? 'left and right' : 'upper and lower'} halves look alike in the samples, as both eyes’ views do.
        </Offer>
      )}
    </section>
  );
}
