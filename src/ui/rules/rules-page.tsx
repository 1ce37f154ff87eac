'use client';

import { X } from 'lucide-react';
import { useState } from 'react';
import { DEFAULT_RULES, PATTERN_FIELDS, fileNameOf, folderOf, unknownFields, type HouseRules } from '@/core/reels';
import { useEngine } from '@/store/engine';
import { useKeptRules, useRecentDiscs } from '@/store/live';
import { saveRules } from '@/store/rules';
import { languageName, list, plural } from '../format';
import { Button, Empty, Panel } from '../parts/controls';
import { Check, Row, Select, TextField } from '../parts/fields';
import { RECIPE, ROLE_PLURAL } from '../words';
import { ArchiveName } from './archive-name';
import { Consequences } from './consequences';

const MOST_DISCS = 200;
/** A made-up episode: shows what a pattern comes to. */
const EXAMPLE = {
  work: 'Slack Water',
  year: '1987',
  series: 'Tide Tables',
  season: '1',
  episode: '2',
  title: '3',
  disc: 'Tide Tables',
  language: 'en',
  accession: 'HM 1987.12',
};

function Form({ rules, set }: { rules: HouseRules; set: (change: Partial<HouseRules>) => void }) {
  const { state } = useEngine();
  const unknown = [...unknownFields(rules.filePattern), ...unknownFields(rules.folderPattern)];
  return (
    <form
      className="px-4 py-3"
      onSubmit={(e) => {
        e.preventDefault();
      }}
    >
      <h3 className="smallcaps pb-1">Sound and subtitles</h3>
      <Row
        name="languages"
        hint={
          rules.languages.length > 0
            ? `${list(rules.languages.map(languageName))}, in this order`
            : 'tags such as en, gd or nb, the best first; empty for no preference'
        }
      >
        <TextField
          label="Preferred languages"
          value={rules.languages.join(' ')}
          onChange={(e) => {
            set({
              languages: e.target.value
                .split(/[\s,]+/)
                .filter((l, i, all) => (l !== '' || i === all.length - 1) && all.indexOf(l) === i)
                .slice(0, 20),
            });
          }}
        />
      </Row>
      <Row name="audio">
        <Select
          label="Which audio"
          value={rules.audio}
          options={[
            { value: 'all', name: 'all languages' },
            { value: 'preferred', name: 'preferred languages only' },
          ]}
          onChange={(audio) => {
            set({ audio });
          }}
        />
        <Select
          label="Which of one language"
          value={rules.quality}
          options={[
            { value: 'all', name: 'every track of a language' },
            { value: 'best', name: 'the best of a language' },
            { value: 'best and compatible', name: 'the best, and one that every player knows' },
          ]}
          onChange={(quality) => {
            set({ quality });
          }}
        />
        <Check
          label="commentary"
          checked={rules.commentary}
          onChange={(commentary) => {
            set({ commentary });
          }}
        />
        <Check
          label="audio description"
          checked={rules.description}
          onChange={(description) => {
            set({ description });
          }}
        />
      </Row>
      <Row name="subtitles" hint="forced ones are always taken">
        <Select
          label="Which subtitles"
          value={rules.subtitles}
          options={[
            { value: 'all', name: 'all languages' },
            { value: 'preferred', name: 'preferred languages only' },
            { value: 'none', name: 'none but forced ones' },
          ]}
          onChange={(subtitles) => {
            set({ subtitles });
          }}
        />
        <Check
          label="for the hard of hearing"
          checked={rules.hearingImpaired}
          onChange={(hearingImpaired) => {
            set({ hearingImpaired });
          }}
        />
      </Row>
      <Row name="">
        <Check
          label="subtitles also as files beside the result"
          checked={rules.subtitleFiles}
          onChange={(subtitleFiles) => {
            set({ subtitleFiles });
          }}
        />
      </Row>
      <h3 className="smallcaps pt-3 pb-1">Titles</h3>
      <Row name="a series">
        <Select
          label="Series"
          value={rules.series}
          options={[
            { value: 'episodes', name: 'each episode' },
            { value: 'play-all', name: 'all in one' },
            { value: 'both', name: 'both' },
          ]}
          onChange={(series) => {
            set({ series });
          }}
        />
      </Row>
      <Row name="beside the film">
        <Check
          label="other cuts"
          checked={rules.cuts}
          onChange={(cuts) => {
            set({ cuts });
          }}
        />
        <Check
          label="other films"
          checked={rules.features}
          onChange={(features) => {
            set({ features });
          }}
        />
        <span className="flex items-center gap-2">
          <Check
            label="extras of at least"
            checked={rules.extras}
            onChange={(extras) => {
              set({ extras });
            }}
          />
          <TextField
            label="Shortest extra in seconds"
            value={String(rules.shortestExtraMs / 1000)}
            inputMode="numeric"
            disabled={!rules.extras}
            className="w-16 text-right"
            onChange={(e) => {
              set({ shortestExtraMs: Math.min(86_400, Number(e.target.value.replace(/\D/g, '')) || 0) * 1000 });
            }}
          />
          <span className={rules.extras ? '' : 'text-third'}>seconds</span>
        </span>
      </Row>
      <Row name="a disc that is not whole" hint="nothing is ever taken for whole that is not: every gap is named beside the file">
        <Select
          label="A disc that is not whole"
          value={rules.damage}
          options={[
            { value: 'refuse', name: 'stop, and let me look' },
            { value: 'around', name: 'take what is there, with its gaps' },
          ]}
          onChange={(damage) => {
            set({ damage });
          }}
        />
      </Row>
      <Row name="measuring" hint="takes some seconds a title; what was measured stays with the disc">
        <Check
          label="sound and picture of what is taken, once the disc is read"
          checked={rules.measure}
          onChange={(measure) => {
            set({ measure });
          }}
        />
      </Row>
      <h3 className="smallcaps pt-3 pb-1">What is made, and where</h3>
      <Row name="recipes">
        {(['master', 'access'] as const).map((id) => (
          <Check
            key={id}
            label={RECIPE[id]}
            checked={rules.recipes.includes(id)}
            disabled={rules.recipes.length === 1 && rules.recipes[0] === id}
            onChange={(on) => {
              set({ recipes: (['master', 'access'] as const).filter((r) => (r === id ? on : rules.recipes.includes(r))) });
            }}
          />
        ))}
      </Row>
      <Row name="file name" hint={<>gives “{fileNameOf(rules.filePattern || '{work}', EXAMPLE)}”</>}>
        <TextField
          label="Pattern of file names"
          value={rules.filePattern}
          onChange={(e) => {
            set({ filePattern: e.target.value });
          }}
        />
      </Row>
      <Row name="folder" hint={<>gives “{folderOf(rules.folderPattern, EXAMPLE) || 'the library itself'}”</>}>
        <TextField
          label="Pattern of folders"
          value={rules.folderPattern}
          placeholder="the library itself"
          onChange={(e) => {
            set({ folderPattern: e.target.value });
          }}
        />
      </Row>
      <p className="pl-[130px] text-[12px] text-third">
        Fields: {PATTERN_FIELDS.map((f) => `{${f}}`).join(' ')}; {'{episode:2}'} gives two digits; what stands in [ ] is left out where a
        field in it is empty.
        {unknown.length > 0 && <span className="block text-eyes">There is no field {list(unknown)}.</span>}
      </p>
      <Row name="storage">
        <Select
          label="Storage"
          value={rules.storage ?? ''}
          options={[{ value: '', name: 'the first there is' }, ...(state?.storages ?? []).map((s) => ({ value: s.id, name: s.name }))]}
          onChange={(storage) => {
            set({ storage: storage || null });
          }}
        />
      </Row>
      {rules.sets.length > 0 && (
        <>
          <h3 className="smallcaps pt-3 pb-1">Kept for the discs of a set</h3>
          <ul>
            {rules.sets.map((s) => (
              <li key={`${s.series} ${s.role}`} className="flex items-center gap-2 py-0.5">
                <span className="min-w-0 flex-1 truncate">
                  <span className="font-serif text-[15px]">{s.series}</span>
                  <span className="text-second">
                    , {ROLE_PLURAL[s.role]}: {list([plural(s.audio.length, 'audio track'), plural(s.subtitles.length, 'subtitle track')])}
                  </span>
                </span>
                <Button
                  tone="quiet"
                  className="px-1.5"
                  aria-label={`No longer keep choices for ${s.series}, ${ROLE_PLURAL[s.role]}`}
                  onClick={() => {
                    set({ sets: rules.sets.filter((other) => other !== s) });
                  }}
                >
                  <X size={14} aria-hidden />
                </Button>
              </li>
            ))}
          </ul>
        </>
      )}
    </form>
  );
}

/** The archive's standing choices, with what a change would do to the discs of the collection. */
export function RulesPage() {
  const kept = useKeptRules();
  const discs = useRecentDiscs(MOST_DISCS);
  const [edited, setEdited] = useState<HouseRules | null>(null);
  if (!kept || !discs)
    return (
      <div className="flex h-full">
        <Empty title="Opening the rules…" />
      </div>
    );
  const rules = edited ?? kept;
  const clean: HouseRules = {
    ...rules,
    languages: rules.languages.filter((l) => l !== ''),
    filePattern: rules.filePattern.trim() || DEFAULT_RULES.filePattern,
  };
  const dirty = JSON.stringify(clean) !== JSON.stringify(kept);
  return (
    <div className="mx-auto flex h-full max-w-[1800px] flex-col gap-3 px-5 pt-4 pb-5">
      <div className="flex items-end justify-between">
        <div>
          <h1 className="font-serif text-[24px] leading-none font-medium">House rules</h1>
          <p className="pt-1 text-second">
            They decide for every disc that is read from now on; on the Bench each decision shows its reason and can be overruled.
          </p>
          <ArchiveName />
        </div>
        <div className="flex gap-2">
          {JSON.stringify(clean) !== JSON.stringify(DEFAULT_RULES) && (
            <Button
              tone="quiet"
              onClick={() => {
                setEdited(DEFAULT_RULES);
              }}
            >
              As they came
            </Button>
          )}
          <Button
            disabled={!dirty}
            onClick={() => {
              setEdited(null);
            }}
          >
            Discard
          </Button>
          <Button
            tone="main"
            disabled={!dirty}
            onClick={() => {
              void saveRules(clean).then(() => {
                setEdited(null);
              });
            }}
          >
            Keep the rules
          </Button>
        </div>
      </div>
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(420px,1fr)_minmax(0,1fr)] gap-4">
        <Panel label="Rules" title="Rules">
          <div className="min-h-0 flex-1 overflow-y-auto">
            <Form
              rules={rules}
              set={(change) => {
                setEdited({ ...rules, ...change });
              }}
            />
          </div>
        </Panel>
        <Panel label="Consequences" title="What they make of the collection">
          <div className="min-h-0 flex-1 overflow-y-auto px-4 py-3">
            {discs.length === 0 ? (
              <Empty title="No disc has been read yet">Read one on the Shelf: here is then seen what the rules make of it.</Empty>
            ) : (
              <Consequences discs={discs} before={kept} after={clean} />
            )}
          </div>
        </Panel>
      </div>
    </div>
  );
}
