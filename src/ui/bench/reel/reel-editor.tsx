'use client';

import { Tabs } from 'radix-ui';
import type { Reel } from '@/core/reels';
import type { DiscRecord } from '@/store/db';
import { Button } from '../../parts/controls';
import { Modal } from '../../parts/modal';
import { ChaptersPart } from './chapters-part';
import { NamesPart } from './names-part';
import { PiecesPart } from './pieces-part';
import { TracksPart } from './tracks-part';

const PARTS = ['Pieces', 'Tracks', 'Chapters', 'Names'] as const;
export type EditorPart = (typeof PARTS)[number];

/** Everything about one reel. Each change is made at once and can be undone on the Bench. */
export function ReelEditor({
  disc,
  reel,
  part,
  path,
  clash,
  onChange,
  onCover,
  onClose,
}: {
  disc: DiscRecord;
  reel: Reel;
  part: EditorPart;
  path: string;
  clash: boolean;
  onChange: (reel: Reel) => void;
  onCover: (() => void) | null;
  onClose: () => void;
}) {
  return (
    <Modal
      wide
      title={reel.name || 'Reel without a name'}
      onClose={onClose}
      footer={
        <Button tone="main" onClick={onClose}>
          Done
        </Button>
      }
    >
      <Tabs.Root defaultValue={part}>
        <Tabs.List aria-label="Parts of the reel" className="mb-3 flex gap-1 border-b border-faint">
          {PARTS.map((name) => (
            <Tabs.Trigger
              key={name}
              value={name}
              className="border-b-2 border-transparent px-3 py-1 text-second data-[state=active]:border-accent data-[state=active]:font-semibold data-[state=active]:text-ink"
            >
              {name}
            </Tabs.Trigger>
          ))}
        </Tabs.List>
        <Tabs.Content value="Pieces">
          <PiecesPart disc={disc} reel={reel} onChange={onChange} />
        </Tabs.Content>
        <Tabs.Content value="Tracks">
          <TracksPart disc={disc} reel={reel} onChange={onChange} />
        </Tabs.Content>
        <Tabs.Content value="Chapters">
          <ChaptersPart disc={disc} reel={reel} onChange={onChange} />
        </Tabs.Content>
        <Tabs.Content value="Names">
          <NamesPart reel={reel} path={path} clash={clash} onChange={onChange} onCover={onCover} />
        </Tabs.Content>
      </Tabs.Root>
    </Modal>
  );
}
