'use client';

import { NO_TAGS, type Reel, type ReelTags } from '@/core/reels';
import { Button } from '../../parts/controls';
import { Row, TextField } from '../../parts/fields';

const whole = (text: string): number | null => (/^\d{1,5}$/.test(text.trim()) ? Number(text) : null);

/** What the work is: becomes tags of the file and parts of its name. */
export function NamesPart({
  reel,
  path,
  clash,
  onChange,
  onCover,
}: {
  reel: Reel;
  /** Where the file will be, as it stands now. */
  path: string;
  clash: boolean;
  onChange: (reel: Reel) => void;
  /** Takes the picture that is looked at as the cover; null where none is. */
  onCover: (() => void) | null;
}) {
  const tags: ReelTags = reel.tags ?? NO_TAGS;
  const set = (change: Partial<ReelTags>) => {
    onChange({ ...reel, tags: { ...tags, ...change } });
  };
  return (
    <div className="grid grid-cols-2 gap-x-8">
      <div>
        <Row name="name">
          <TextField
            label="Name of the work"
            value={reel.name}
            onChange={(e) => {
              onChange({ ...reel, name: e.target.value, tags: { ...tags, work: e.target.value } });
            }}
          />
        </Row>
        <Row name="year">
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
        </Row>
        <Row name="series">
          <TextField
            label="Series"
            value={tags.series}
            onChange={(e) => {
              set({ series: e.target.value });
            }}
          />
        </Row>
        <Row name="season, episode">
          <span className="flex gap-2">
            <TextField
              label="Season"
              value={tags.season ?? ''}
              inputMode="numeric"
              className="w-16"
              onChange={(e) => {
                set({ season: whole(e.target.value) });
              }}
            />
            <TextField
              label="Episode"
              value={tags.episode ?? ''}
              inputMode="numeric"
              className="w-16"
              onChange={(e) => {
                set({ episode: whole(e.target.value) });
              }}
            />
          </span>
        </Row>
      </div>
      <div>
        <Row name="language" hint="in which the work was made, as a tag such as en or gd">
          <TextField
            label="Language of the work"
            value={tags.language}
            className="w-24"
            onChange={(e) => {
              set({ language: e.target.value.trim() });
            }}
          />
        </Row>
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
            value={tags.notes}
            rows={2}
            onChange={(e) => {
              set({ notes: e.target.value });
            }}
            className="rounded-[5px] border border-line bg-card px-1.5 py-0.5"
          />
        </Row>
        <Row name="cover">
          <span className="flex items-center gap-2">
            {tags.cover && (
              // eslint-disable-next-line @next/next/no-img-element
              <img src={tags.cover} alt="Cover" className="h-10 rounded-[3px]" />
            )}
            <Button onClick={() => onCover?.()} disabled={!onCover} title="The picture that the dossier shows now">
              Take the picture looked at
            </Button>
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
        </Row>
      </div>
      <div className="col-span-2">
        <Row name="file" hint={clash ? <span className="text-eyes">A file of this name is already planned or in the library.</span> : path}>
          <TextField
            label="File name"
            value={reel.fileName ?? ''}
            placeholder="by the pattern of the house rules"
            onChange={(e) => {
              onChange({ ...reel, fileName: e.target.value });
            }}
          />
        </Row>
      </div>
    </div>
  );
}
