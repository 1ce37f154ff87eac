'use client';

import { useState } from 'react';
import type { ReelTags } from '@/core/reels';
import { Button, StateText } from '../../parts/controls';
import { coverFromFile } from '../../parts/cover-picture';
import { FileButton } from '../../parts/file-button';
import { Row, TextField } from '../../parts/fields';
import { LanguageField } from '../../parts/language-field';

/** Rows of what is known of a work, as the reel and the disc both have them. */

export const wholeNumber = (text: string): number | null => (/^\d{1,5}$/.test(text.trim()) ? Number(text) : null);

interface TagsProps {
  readonly tags: ReelTags;
  readonly set: (change: Partial<ReelTags>) => void;
}

export function YearField({ tags, set }: TagsProps) {
  return (
    <TextField
      label="Year"
      value={tags.year}
      inputMode="numeric"
      maxLength={4}
      className="w-20"
      onChange={(e) => {
        set({ year: e.target.value.replace(/\D/g, '').slice(0, 4) });
      }}
    />
  );
}

export function WorkLanguageField({ tags, set }: TagsProps) {
  return (
    <LanguageField
      label="Language of the work"
      value={tags.language || null}
      className="w-44"
      onChange={(tag) => {
        set({ language: tag ?? '' });
      }}
    />
  );
}

export function SeasonField({ tags, set }: TagsProps) {
  return (
    <TextField
      label="Season"
      value={tags.season ?? ''}
      inputMode="numeric"
      className="w-16"
      onChange={(e) => {
        set({ season: wholeNumber(e.target.value) });
      }}
    />
  );
}

function CoverRow({ tags, set, onLook }: TagsProps & { readonly onLook: (() => Promise<string | null>) | null }) {
  const [wrong, setWrong] = useState<string | null>(null);
  const take = async (file: File) => {
    try {
      set({ cover: await coverFromFile(file) });
      setWrong(null);
    } catch (error) {
      setWrong(error instanceof Error ? error.message : String(error));
    }
  };
  const look = async () => {
    const cover = await onLook?.();
    if (cover) set({ cover });
  };
  return (
    <Row name="cover">
      <span className="flex flex-wrap items-center gap-2">
        {tags.cover && (
          // eslint-disable-next-line @next/next/no-img-element
          <img src={tags.cover} alt="Cover" className="h-10 rounded-[3px]" />
        )}
        <Button onClick={() => void look()} disabled={!onLook} title="The picture that the dossier shows now: move its slider first">
          The picture looked at
        </Button>
        <FileButton label="Cover from a picture file" accept="image/*" onFile={(file) => void take(file)}>
          A picture file
        </FileButton>
        {tags.cover && (
          <Button
            tone="quiet"
            onClick={() => {
              set({ cover: null });
            }}
          >
            Remove
          </Button>
        )}
      </span>
      {wrong && <StateText state="eyes">{wrong}</StateText>}
    </Row>
  );
}

/** Accession number, notes and cover. @param onLook gives the picture that is looked at; null where none is. */
export function KeepingRows({ tags, set, onLook }: TagsProps & { readonly onLook: (() => Promise<string | null>) | null }) {
  return (
    <>
      <Row name="accession">
        <TextField
          label="Accession number"
          value={tags.accession}
          onChange={(e) => {
            set({ accession: e.target.value });
          }}
        />
      </Row>
      <Row name="notes">
        <textarea
          aria-label="Notes"
          rows={2}
          value={tags.notes}
          onChange={(e) => {
            set({ notes: e.target.value });
          }}
          className="rounded-[5px] border border-line bg-card px-1.5 py-0.5"
        />
      </Row>
      <CoverRow tags={tags} set={set} onLook={onLook} />
    </>
  );
}
