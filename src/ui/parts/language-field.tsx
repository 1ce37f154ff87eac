'use client';

import { Command } from 'cmdk';
import { ChevronDown } from 'lucide-react';
import { Popover } from 'radix-ui';
import { useMemo, useState } from 'react';
import { useRules } from '@/store/rules';
import { languageName } from '../format';
import { allLanguages, tagOf, type Language } from './languages';
import { HoldToasts } from './toasts';

const item =
  'flex cursor-pointer justify-between gap-3 rounded-[4px] px-2 py-0.5 data-[selected=true]:bg-wash data-[disabled=true]:text-third';

function Entry({ language, onChoose }: { language: Language; onChoose: (tag: string) => void }) {
  return (
    <Command.Item
      value={`${language.name} ${language.tag}`}
      className={item}
      onSelect={() => {
        onChoose(language.tag);
      }}
    >
      {language.name} <span className="text-third">{language.tag}</span>
    </Command.Item>
  );
}

/**
 * A language, found by its name: the archive's own first. Whoever needs another, or a region, writes its tag.
 * @param value BCP 47; null where none is said. @param none what stands there then.
 */
export function LanguageField({
  label,
  value,
  onChange,
  none = 'not said',
  className = '',
}: {
  label: string;
  value: string | null;
  onChange: (tag: string | null) => void;
  none?: string;
  className?: string;
}) {
  const [open, setOpen] = useState(false);
  const [search, setSearch] = useState('');
  const rules = useRules();
  const all = useMemo(() => allLanguages(), []);
  const own = rules.languages.map((tag) => ({ tag, name: languageName(tag) }));
  const written = tagOf(search);
  const choose = (tag: string | null) => {
    onChange(tag);
    setOpen(false);
    setSearch('');
  };
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        type="button"
        aria-label={`${label}: ${value ? languageName(value) : none}`}
        className={`flex min-w-0 items-center justify-between gap-1 rounded-[5px] border border-line bg-card px-1.5 py-0.5 ${value ? 'text-ink' : 'text-third'} ${className}`}
      >
        <span className="truncate">{value ? languageName(value) : none}</span>
        <ChevronDown size={13} aria-hidden className="shrink-0 text-second" />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={4} className="z-[60] w-64 rounded-[8px] border border-line bg-card p-1 shadow-lg">
          <HoldToasts />
          <Command label={label}>
            <Command.Input
              value={search}
              onValueChange={setSearch}
              placeholder="name or tag"
              className="mb-1 w-full rounded-[5px] border border-line bg-paper px-2 py-0.5 outline-none placeholder:text-third"
            />
            <Command.List label={label} className="max-h-56 overflow-y-auto">
              <Command.Empty className="px-2 py-1 text-second">No language of that name.</Command.Empty>
              {value !== null && (
                <Command.Item
                  value={none}
                  className={item}
                  onSelect={() => {
                    choose(null);
                  }}
                >
                  {none}
                </Command.Item>
              )}
              {own.map((language) => (
                <Entry key={`own ${language.tag}`} language={language} onChoose={choose} />
              ))}
              {written && languageName(written) !== written && !all.some((l) => l.tag === written) && (
                <Entry language={{ tag: written, name: languageName(written) }} onChoose={choose} />
              )}
              {all
                .filter((l) => !rules.languages.includes(l.tag))
                .map((language) => (
                  <Entry key={language.tag} language={language} onChoose={choose} />
                ))}
            </Command.List>
          </Command>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
