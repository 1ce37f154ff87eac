'use client';

import { DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors } from '@dnd-kit/core';
import { SortableContext, arrayMove, rectSortingStrategy, sortableKeyboardCoordinates, useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { Plus, X } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useState } from 'react';
import { NAME_FIELDS, type NameField, type NamePart } from '@/core/reels';
import { Button } from '../parts/controls';
import { Select, TextField } from '../parts/fields';
import { MenuContent } from '../parts/menu-content';

const FIELD: Readonly<Record<NameField, string>> = {
  work: 'name',
  year: 'year',
  series: 'series',
  season: 'season',
  episode: 'episode',
  title: 'title number',
  disc: 'disc',
  language: 'language',
  accession: 'accession number',
};
const NUMBERS: ReadonlySet<NameField> = new Set(['season', 'episode', 'title']);
const MOST_DIGITS = 4;
const said = (part: NamePart): string => (part.kind === 'text' ? `the text “${part.text}”` : FIELD[part.field]);

function Chip({ part, id, isOpen, onOpen }: { part: NamePart; id: string; isOpen: boolean; onOpen: () => void }) {
  const { attributes, listeners, setNodeRef, transform, transition } = useSortable({ id });
  return (
    <button
      ref={setNodeRef}
      type="button"
      {...attributes}
      {...listeners}
      aria-label={`Part ${said(part)}`}
      aria-expanded={isOpen}
      title="Click to change it, drag to move it"
      style={{ transform: CSS.Translate.toString(transform), transition: transition ?? '' }}
      className={`flex touch-none items-baseline rounded-[5px] border px-1.5 py-0.5 whitespace-pre ${isOpen ? 'border-accent bg-wash' : 'border-line bg-paper hover:border-second'}`}
      onClick={onOpen}
    >
      {part.kind === 'text' ? (
        part.text
      ) : (
        <>
          <span className="text-second">{part.before}</span>
          <span className="font-semibold text-accent">
            {FIELD[part.field]}
            {part.digits > 1 && <span className="font-normal text-second"> {'0'.repeat(part.digits - 1)}1</span>}
          </span>
          <span className="text-second">{part.after}</span>
        </>
      )}
    </button>
  );
}

/** What can be said of one part. */
function PartForm({ part, onChange, onRemove }: { part: NamePart; onChange: (part: NamePart) => void; onRemove: () => void }) {
  return (
    <div
      role="group"
      aria-label={`Change ${part.kind === 'text' ? 'the text' : FIELD[part.field]}`}
      className="flex flex-wrap items-center gap-2 text-second"
    >
      {part.kind === 'text' ? (
        <>
          text
          <TextField
            label="Text"
            value={part.text}
            className="w-40"
            onChange={(e) => {
              onChange({ ...part, text: e.target.value });
            }}
          />
        </>
      ) : (
        <>
          with
          <TextField
            label="Text before it"
            value={part.before}
            className="w-16"
            onChange={(e) => {
              onChange({ ...part, before: e.target.value });
            }}
          />
          before and
          <TextField
            label="Text after it"
            value={part.after}
            className="w-16"
            onChange={(e) => {
              onChange({ ...part, after: e.target.value });
            }}
          />
          after, left out with it where it is empty
          {NUMBERS.has(part.field) && (
            <Select
              label="Digits"
              value={String(part.digits)}
              options={Array.from({ length: MOST_DIGITS }, (_, i) => ({
                value: i === 0 ? '0' : String(i + 1),
                name: i === 0 ? 'as it is' : `${i + 1} digits`,
              }))}
              onChange={(digits) => {
                onChange({ ...part, digits: Number(digits) });
              }}
            />
          )}
        </>
      )}
      <Button tone="quiet" className="px-1.5" onClick={onRemove}>
        <X size={13} aria-hidden /> take it out
      </Button>
    </div>
  );
}

const item = 'cursor-pointer rounded-[4px] px-2.5 py-1 outline-none data-[highlighted]:bg-wash';

/** A name made of parts that are picked, dragged and changed one by one. */
export function NameField({
  label,
  parts,
  onChange,
}: {
  label: string;
  parts: readonly NamePart[];
  onChange: (parts: readonly NamePart[]) => void;
}) {
  const [open, setOpen] = useState<number | null>(null);
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, {
      coordinateGetter: sortableKeyboardCoordinates,
      // Enter opens a part; the space bar lifts it.
      keyboardCodes: { start: ['Space'], cancel: ['Escape'], end: ['Space', 'Enter'] },
    }),
  );
  // Parts have no names of their own: two may be the same.
  const ids = parts.map((_, i) => `part ${i}`);
  const opened = open === null ? undefined : parts[open];
  const add = (part: NamePart) => {
    onChange([...parts, part]);
    setOpen(parts.length);
  };
  return (
    <div className="flex flex-col gap-1.5">
      <DndContext
        id={label}
        sensors={sensors}
        onDragEnd={({ active, over }) => {
          if (!over || active.id === over.id) return;
          setOpen(null);
          onChange(arrayMove([...parts], ids.indexOf(String(active.id)), ids.indexOf(String(over.id))));
        }}
      >
        <SortableContext items={ids} strategy={rectSortingStrategy}>
          <div role="group" aria-label={label} className="flex flex-wrap items-center gap-1 rounded-[5px] border border-line bg-card p-1">
            {parts.map((part, i) => (
              <Chip
                key={ids[i]}
                id={ids[i] ?? ''}
                part={part}
                isOpen={i === open}
                onOpen={() => {
                  setOpen(i === open ? null : i);
                }}
              />
            ))}
            <DropdownMenu.Root>
              <DropdownMenu.Trigger asChild>
                <Button tone="quiet" className="px-1.5 py-0" aria-label={`Add a part to the ${label.toLowerCase()}`}>
                  <Plus size={13} aria-hidden /> add
                </Button>
              </DropdownMenu.Trigger>
              <MenuContent align="start" className="z-50 rounded-[8px]">
                <DropdownMenu.Item
                  className={item}
                  onSelect={() => {
                    add({ kind: 'text', text: ' - ' });
                  }}
                >
                  a text
                </DropdownMenu.Item>
                {NAME_FIELDS.map((field) => (
                  <DropdownMenu.Item
                    key={field}
                    className={item}
                    onSelect={() => {
                      add({ kind: 'field', field, digits: 0, before: parts.length > 0 ? ' ' : '', after: '' });
                    }}
                  >
                    {FIELD[field]}
                  </DropdownMenu.Item>
                ))}
              </MenuContent>
            </DropdownMenu.Root>
          </div>
        </SortableContext>
      </DndContext>
      {opened && open !== null && (
        <PartForm
          part={opened}
          onChange={(next) => {
            onChange(parts.map((p, i) => (i === open ? next : p)));
          }}
          onRemove={() => {
            setOpen(null);
            onChange(parts.filter((_, i) => i !== open));
          }}
        />
      )}
    </div>
  );
}
