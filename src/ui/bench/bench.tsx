'use client';

import { DndContext, PointerSensor, useSensor, useSensors, type DragEndEvent } from '@dnd-kit/core';
import { useEffect, useState } from 'react';
import { Group, Panel as Pane, Separator, useDefaultLayout } from 'react-resizable-panels';
import { joinRefusal } from '@/core/reels';
import type { DiscRecord } from '@/store/db';
import { considerMeasuring } from '@/store/measures-by-rule';
import { Empty } from '../parts/controls';
import { useKeys } from '../parts/use-keys';
import { BenchProvider, type BenchView } from './bench-context';
import { BenchDialogs } from './bench-dialogs';
import { BenchHead } from './bench-head';
import { ReelEditor } from './editor/reel-editor';
import { DiscMap } from './map/disc-map';
import { ReelsStrip } from './reels/reels-strip';
import { Dossier } from './title/dossier';
import { useBenchView } from './use-bench-view';

/** At 1280 pixels the sheet's four pictures of 120 beside each other, and the picture of a moment 480 wide. */
const TITLE_SHARE = '41.6%';
const LEAST_TITLE_PIXELS = 380;
const LEAST_MAP_PIXELS = 420;

function useBenchKeys(bench: BenchView): void {
  const { draft, commands, selected, taking, title } = bench;
  const possible = selected ? bench.possible(selected) : null;
  const canAdd = selected && title && joinRefusal(bench.disc.reading, selected, [title.number]) === null;
  useKeys({
    undo: draft.undo,
    redo: draft.redo,
    take: taking ? null : bench.take,
    add: canAdd
      ? () => {
          commands.addTitle(selected.id, title.number);
        }
      : null,
    edit:
      selected?.jobId === null
        ? () => {
            bench.edit(bench.editing === null ? bench.lastPart : null);
          }
        : null,
    merge:
      selected && possible?.before != null
        ? () => {
            commands.merge(possible.before ?? '', [selected.id]);
          }
        : null,
    divide:
      selected && possible?.momentMs != null
        ? () => {
            commands.divideAt(selected.id, [possible.momentMs ?? 0]);
          }
        : null,
    compare: title
      ? () => {
          bench.openDialog({ kind: 'compare' });
        }
      : null,
  });
}

/** What is dragged: titles from the map, or a reel with its pieces. */
function useDragging({ reels, disc, commands, selectReel }: BenchView) {
  const [dragged, setDragged] = useState<readonly number[]>([]);
  const titlesOf = (id: string): readonly number[] =>
    id.startsWith('lane ')
      ? [Number(id.slice('lane '.length))]
      : (reels.find((r) => `card ${r.id}` === id)?.reel.pieces.map((p) => p.title) ?? []);
  return {
    dragged,
    onDragStart: (id: string) => {
      setDragged(titlesOf(id));
    },
    onDragEnd: (id: string, over: string | null) => {
      setDragged([]);
      const target = reels.find((r) => `reel ${r.id}` === over);
      if (!target || joinRefusal(disc.reading, target, titlesOf(id)) !== null) return;
      if (id.startsWith('lane ')) commands.addTitle(target.id, Number(id.slice('lane '.length)));
      else commands.merge(target.id, [id.slice('card '.length)]);
      selectReel(target);
    },
  };
}

export function Bench({ disc }: { disc: DiscRecord }) {
  const bench = useBenchView(disc);
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }));
  const dragging = useDragging(bench);
  const { defaultLayout, onLayoutChanged } = useDefaultLayout({
    id: 'bench-width',
    panelIds: ['map', 'title'],
    onlySaveAfterUserInteractions: true,
  });
  useEffect(() => {
    considerMeasuring(disc.fingerprint);
  }, [disc.fingerprint]);
  useBenchKeys(bench);
  return (
    <BenchProvider value={bench}>
      <DndContext
        id="bench"
        sensors={sensors}
        onDragStart={({ active }) => {
          dragging.onDragStart(String(active.id));
        }}
        onDragCancel={({ active }) => {
          dragging.onDragEnd(String(active.id), null);
        }}
        onDragEnd={({ active, over }: DragEndEvent) => {
          dragging.onDragEnd(String(active.id), over ? String(over.id) : null);
        }}
      >
        <div className="mx-auto flex h-full max-w-[2400px] flex-col gap-2.5 px-5 pt-2.5 pb-3">
          <BenchHead />
          <Group
            orientation="horizontal"
            className="min-h-0 flex-1"
            {...(defaultLayout ? { defaultLayout } : {})}
            onLayoutChanged={onLayoutChanged}
          >
            <Pane id="map" minSize={LEAST_MAP_PIXELS} className="flex flex-col gap-2.5">
              <DiscMap />
              <ReelEditor />
            </Pane>
            <Separator
              aria-label="Between the map and the title"
              className="group flex w-3.5 shrink-0 items-center justify-center outline-none"
            >
              <span className="h-10 w-1 rounded-full bg-line group-hover:bg-second group-focus-visible:bg-accent" />
            </Separator>
            <Pane id="title" defaultSize={TITLE_SHARE} minSize={LEAST_TITLE_PIXELS} className="flex flex-col">
              {bench.title ? <Dossier key={bench.title.number} title={bench.title} /> : <Empty title="No title to show" />}
            </Pane>
          </Group>
          <ReelsStrip dragged={dragging.dragged} />
        </div>
      </DndContext>
      <BenchDialogs />
    </BenchProvider>
  );
}
