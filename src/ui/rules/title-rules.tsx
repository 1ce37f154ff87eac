'use client';

import { Check, Row, Select, TextField } from '../parts/fields';
import type { RulesProps } from './rules-props';

/** Which titles are taken, and what is done where a disc is not whole. */
export function TitleRules({ rules, set }: RulesProps) {
  return (
    <>
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
      <Row name="angles">
        <Select
          label="Angles"
          value={rules.angles}
          options={[
            { value: 'first', name: 'the first' },
            { value: 'all', name: 'a reel for each' },
          ]}
          onChange={(angles) => {
            set({ angles });
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
    </>
  );
}
