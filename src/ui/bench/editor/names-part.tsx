'use client';

import { NO_TAGS, type Reel, type ReelTags } from '@/core/reels';
import type { DraftReel } from '@/store/db';
import { Row, TextField } from '../../parts/fields';
import { NO_PLACE } from '../reels/places';
import { useBench } from '../bench-context';
import { KeepingRows, SeasonField, WorkLanguageField, YearField, wholeNumber } from '../disc/tag-rows';

/** What the work is: becomes tags of the file and parts of its name. */
export function NamesPart({ draft }: { draft: DraftReel }) {
  const { commands, places, pictureLookedAt } = useBench();
  const { reel } = draft;
  const { path, clash } = places.get(draft.id) ?? NO_PLACE;
  const onChange = (next: Reel) => {
    commands.change(draft.id, next);
  };
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
          <YearField tags={tags} set={set} />
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
            <SeasonField tags={tags} set={set} />
            <TextField
              label="Episode"
              value={tags.episode ?? ''}
              inputMode="numeric"
              className="w-16"
              onChange={(e) => {
                set({ episode: wholeNumber(e.target.value) });
              }}
            />
          </span>
        </Row>
      </div>
      <div>
        <Row name="language" hint="in which the work was made">
          <WorkLanguageField tags={tags} set={set} />
        </Row>
        <KeepingRows tags={tags} set={set} onLook={pictureLookedAt} />
      </div>
      <div className="col-span-2">
        <Row name="file" hint={clash ? <span className="text-eyes">A file of this name is already planned or in the library.</span> : path}>
          <TextField
            label="File name"
            value={reel.fileName ?? ''}
            placeholder="by the house rules"
            onChange={(e) => {
              onChange({ ...reel, fileName: e.target.value });
            }}
          />
        </Row>
      </div>
    </div>
  );
}
