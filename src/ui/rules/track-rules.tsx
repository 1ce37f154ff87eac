'use client';

import { ChevronLeft, X } from 'lucide-react';
import { languageName } from '../format';
import { Check, Row, Select } from '../parts/fields';
import { LanguageField } from '../parts/language-field';
import type { RulesProps } from './rules-props';

const MOST_LANGUAGES = 20;

/** The preferred languages, the best first. */
function Languages({ rules: { languages }, set }: RulesProps) {
  return (
    <span role="group" aria-label="Preferred languages" className="flex flex-wrap items-center gap-1.5">
      {languages.map((tag, i) => (
        <span key={tag} className="flex items-center gap-1 rounded-[5px] border border-line bg-paper px-1.5 py-0.5">
          {i > 0 && (
            <button
              type="button"
              aria-label={`Prefer ${languageName(tag)} more`}
              title="One place to the front"
              className="text-third hover:text-ink"
              onClick={() => {
                set({ languages: languages.map((l, n) => (n === i - 1 ? tag : n === i ? (languages[i - 1] ?? l) : l)) });
              }}
            >
              <ChevronLeft size={13} aria-hidden />
            </button>
          )}
          {languageName(tag)}
          <button
            type="button"
            aria-label={`No longer prefer ${languageName(tag)}`}
            className="text-third hover:text-ink"
            onClick={() => {
              set({ languages: languages.filter((l) => l !== tag) });
            }}
          >
            <X size={13} aria-hidden />
          </button>
        </span>
      ))}
      {languages.length < MOST_LANGUAGES && (
        <LanguageField
          label="Add a preferred language"
          value={null}
          none="add a language"
          onChange={(tag) => {
            if (tag && !languages.includes(tag)) set({ languages: [...languages, tag] });
          }}
        />
      )}
    </span>
  );
}

/** Which sound and which subtitles are taken. */
export function TrackRules({ rules, set }: RulesProps) {
  return (
    <>
      <h3 className="smallcaps pb-1">Sound and subtitles</h3>
      <Row name="languages" hint={rules.languages.length > 0 ? 'in this order, the best first' : 'no preference'}>
        <Languages rules={rules} set={set} />
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
        <Check
          label="for letterbox and pan and scan"
          checked={rules.drawings}
          onChange={(drawings) => {
            set({ drawings });
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
    </>
  );
}
