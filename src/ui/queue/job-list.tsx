'use client';

import { DndContext, PointerSensor, useDraggable, useDroppable, useSensor, useSensors, type DragEndEvent } from '@dnd-kit/core';
import { useVirtualizer } from '@tanstack/react-virtual';
import { GripVertical } from 'lucide-react';
import { useMemo, useRef, type ReactNode, type Ref } from 'react';
import type { JobState } from '@/contract';
import { plural } from '../format';
import type { JobGroup } from './queue-groups';

type Item = { readonly kind: 'heading'; readonly group: JobGroup } | { readonly kind: 'job'; readonly job: JobState; readonly at: number };

/** Heights before a row has been drawn: those that run say more of themselves. */
const HEADING_PX = 37;
const ROW_PX = 44;
const WORKING_PX = 120;
const AHEAD = 8;

function itemsOf(groups: readonly JobGroup[]): Item[] {
  return groups.flatMap((group): Item[] => [
    { kind: 'heading', group },
    ...group.jobs.map((job, at) => ({ kind: 'job' as const, job, at })),
  ]);
}

/** A row that waits is taken by its handle and laid before or behind another, or moved with Alt and an arrow key. */
function WaitingRow({ job, children }: { job: JobState; children: (handle: ReactNode) => ReactNode }) {
  const { setNodeRef: dragRef, attributes, listeners, isDragging } = useDraggable({ id: job.id });
  const { setNodeRef: dropRef, isOver } = useDroppable({ id: job.id });
  const handle = (
    <button
      type="button"
      className="cursor-grab touch-none text-third hover:text-ink"
      aria-label={`Move ${job.name}`}
      title="Drag it to its place, or Alt with an arrow key"
      ref={dragRef}
      {...attributes}
      {...listeners}
    >
      <GripVertical size={14} aria-hidden />
    </button>
  );
  return (
    <div ref={dropRef} className={`${isDragging ? 'opacity-50' : ''} ${isOver && !isDragging ? 'bg-wash' : ''}`}>
      {children(handle)}
    </div>
  );
}

/** Jobs by their groups; only those that are seen are drawn, however many there are. */
export function JobList({
  groups,
  row,
  onMove,
}: {
  groups: readonly JobGroup[];
  row: (job: JobState, handle: ReactNode) => ReactNode;
  /** Put before another, or at the end. */
  onMove: (job: JobState, before: string | null) => void;
}) {
  const items = useMemo(() => itemsOf(groups), [groups]);
  const waiting = groups.find((g) => g.name === 'Waiting')?.jobs ?? [];
  const scroller = useRef<HTMLDivElement>(null);
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }));
  // It draws itself anew on every scroll: there is nothing in it for the compiler to remember.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: items.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => {
      const item = items[i];
      if (item?.kind !== 'job') return HEADING_PX;
      return item.job.state === 'running' || item.job.state === 'interrupted' || item.job.state === 'failed' ? WORKING_PX : ROW_PX;
    },
    getItemKey: (i) => {
      const item = items[i];
      return item?.kind === 'job' ? item.job.id : `group ${item?.group.name ?? i}`;
    },
    overscan: AHEAD,
  });
  const dropped = ({ active, over }: DragEndEvent) => {
    const [from, to] = [waiting.findIndex((j) => j.id === active.id), waiting.findIndex((j) => j.id === over?.id)];
    const job = waiting[from];
    if (!job || to < 0 || from === to) return;
    onMove(job, (to < from ? waiting[to] : waiting[to + 1])?.id ?? null);
  };
  const measured = virtual.measureElement as Ref<HTMLElement>;
  return (
    <DndContext sensors={sensors} onDragEnd={dropped}>
      <div ref={scroller} className="min-h-0 flex-1 overflow-y-auto" tabIndex={-1}>
        <ul className="relative" style={{ height: virtual.getTotalSize() }} aria-label="Jobs">
          {virtual.getVirtualItems().map(({ key, index, start }) => {
            const item = items[index];
            const place = { transform: `translateY(${start}px)` };
            if (!item) return null;
            if (item.kind === 'heading')
              return (
                <li key={key} ref={measured as Ref<HTMLLIElement>} data-index={index} className="absolute inset-x-0 top-0" style={place}>
                  <h2 className="border-b border-line px-4 pt-2.5 pb-1 font-serif text-[15px] font-semibold">
                    {item.group.name}, {plural(item.group.jobs.length, 'job')}
                  </h2>
                </li>
              );
            const { job } = item;
            return (
              <li
                key={key}
                ref={measured as Ref<HTMLLIElement>}
                data-index={index}
                aria-label={`Job ${job.name}`}
                className="absolute inset-x-0 top-0"
                style={place}
                onKeyDown={(e) => {
                  if (job.state !== 'waiting' || !e.altKey || (e.key !== 'ArrowUp' && e.key !== 'ArrowDown')) return;
                  e.preventDefault();
                  const at = waiting.findIndex((j) => j.id === job.id);
                  if (e.key === 'ArrowUp' ? at > 0 : at < waiting.length - 1)
                    onMove(job, waiting[e.key === 'ArrowUp' ? at - 1 : at + 2]?.id ?? null);
                }}
              >
                {job.state === 'waiting' ? <WaitingRow job={job}>{(handle) => row(job, handle)}</WaitingRow> : row(job, null)}
              </li>
            );
          })}
        </ul>
      </div>
    </DndContext>
  );
}
