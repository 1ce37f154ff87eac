'use client';

import { Tabs } from 'radix-ui';
import type { DraftReel } from '@/store/db';
import { Button } from '../../parts/controls';
import { useBench } from '../bench-context';
import { ChaptersPart } from './chapters-part';
import { NamesPart } from './names-part';
import { PARTS, type EditorPart } from './parts';
import { PiecesPart } from './pieces-part';
import { TracksPart } from './tracks-part';

const COUNTED: Partial<Readonly<Record<EditorPart, (draft: DraftReel) => number>>> = {
  Pieces: ({ reel }) => reel.pieces.length,
  Tracks: ({ reel }) => reel.audio.length + reel.subtitles.length + (reel.addedAudio?.length ?? 0) + (reel.added?.length ?? 0),
};

/** Everything about the selected reel, in sight of the pictures it is edited by. Each change is made at once and can be undone. */
export function ReelEditor() {
  const { selected, editing, edit } = useBench();
  if (!selected || editing === null) return null;
  const draft = selected;
  return (
    <Tabs.Root
      key={draft.id}
      value={editing}
      onValueChange={(part) => {
        edit(part as EditorPart);
      }}
      className="flex min-h-[236px] flex-[1_1_236px] flex-col overflow-hidden rounded-[8px] border border-line bg-card"
      role="region"
      aria-label={`The reel ${draft.reel.name || 'without a name'}, edited`}
    >
      <header className="flex min-h-9 items-center gap-3 border-b border-faint px-3">
        <h2 className="min-w-0 truncate font-serif text-[15px] font-semibold">{draft.reel.name || 'Reel without a name'}</h2>
        <Tabs.List aria-label="Parts of the reel" className="flex gap-1 self-stretch">
          {PARTS.map((name) => (
            <Tabs.Trigger
              key={name}
              value={name}
              className="border-b-2 border-transparent px-2 whitespace-nowrap text-second data-[state=active]:border-accent data-[state=active]:font-semibold data-[state=active]:text-ink"
            >
              {name} <span className="font-normal text-third">{COUNTED[name]?.(draft) ?? ''}</span>
            </Tabs.Trigger>
          ))}
        </Tabs.List>
        <Button
          tone="quiet"
          className="ml-auto"
          title="Close the editor: the map takes its room (E)"
          onClick={() => {
            edit(null);
          }}
        >
          Done
        </Button>
      </header>
      <div className="min-h-0 flex-1 overflow-y-auto px-3 py-2">
        <Tabs.Content value="Pieces">
          <PiecesPart draft={draft} />
        </Tabs.Content>
        <Tabs.Content value="Tracks">
          <TracksPart draft={draft} />
        </Tabs.Content>
        <Tabs.Content value="Chapters">
          <ChaptersPart draft={draft} />
        </Tabs.Content>
        <Tabs.Content value="Names">
          <NamesPart draft={draft} />
        </Tabs.Content>
      </div>
    </Tabs.Root>
  );
}
