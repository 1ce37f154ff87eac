import { DropdownMenu } from 'radix-ui';
import { ChevronDown } from 'lucide-react';
import { useState } from 'react';
import {
  ChapterListError,
  applyChapterList,
  chaptersToText,
  chaptersToWebVtt,
  numberedNames,
  readChapterList,
  type ReelChapter,
} from '@/core/reels';
import type { DraftReel } from '@/store/db';
import { Button } from '../../parts/controls';
import { TextField } from '../../parts/fields';
import { FileButton } from '../../parts/file-button';
import { saveText } from '../../parts/save-file';
import { MenuContent } from '../../parts/menu-content';

const item = 'flex cursor-pointer rounded-[4px] px-2.5 py-1 outline-none data-[highlighted]:bg-wash';

function PasteBox({ onTake }: { onTake: (list: string) => void }) {
  const [text, setText] = useState('');
  return (
    <span className="flex w-full items-start gap-1.5">
      <textarea
        aria-label="Chapter list"
        rows={5}
        value={text}
        placeholder={'A name a line, or\n00:00:00.000 Casting off\n00:04:10.500 The first haul\nor a WebVTT file'}
        onChange={(e) => {
          setText(e.target.value);
        }}
        className="min-w-0 flex-1 rounded-[5px] border border-line bg-card px-2 py-1 font-mono text-[12px]"
      />
      <Button
        tone="main"
        onClick={() => {
          onTake(text);
        }}
      >
        Take the list
      </Button>
    </span>
  );
}

/** Lists of chapters: pasted, opened, saved, numbered. */
export function ChapterLists({
  draft,
  chapters,
  durationMs,
  onChange,
}: {
  draft: DraftReel;
  chapters: readonly ReelChapter[];
  durationMs: number;
  onChange: (chapters: readonly ReelChapter[]) => void;
}) {
  const [open, setOpen] = useState<'paste' | 'number' | null>(null);
  const [pattern, setPattern] = useState('Chapter #');
  const [wrong, setWrong] = useState<string | null>(null);
  const name = draft.reel.name || 'chapters';
  const take = (list: string) => {
    try {
      const taken = applyChapterList(chapters, readChapterList(list), durationMs);
      onChange(taken.chapters);
      setWrong(taken.remark);
      setOpen(null);
    } catch (error) {
      if (!(error instanceof ChapterListError)) throw error;
      setWrong(error.message);
    }
  };
  const entry = (label: string, run: () => void) => (
    <DropdownMenu.Item className={item} onSelect={run}>
      {label}
    </DropdownMenu.Item>
  );
  return (
    <>
      <span className="ml-auto" />
      <FileButton label="Open a chapter file" accept=".vtt,.txt,text/vtt,text/plain" onFile={(file) => void file.text().then(take)}>
        Open a file
      </FileButton>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button>
            Lists of chapters <ChevronDown size={13} aria-hidden />
          </Button>
        </DropdownMenu.Trigger>
        <MenuContent align="end" className="z-50 rounded-[8px]">
          {entry('Paste a list', () => {
            setWrong(null);
            setOpen('paste');
          })}
          {entry('Number them', () => {
            setOpen('number');
          })}
          {entry('Save as WebVTT', () => {
            saveText(`${name}.vtt`, chaptersToWebVtt(chapters, durationMs), 'text/vtt');
          })}
          {entry('Save as lines', () => {
            saveText(`${name} - chapters.txt`, chaptersToText(chapters), 'text/plain');
          })}
        </MenuContent>
      </DropdownMenu.Root>
      {open === 'number' && (
        <span className="flex w-full items-center gap-1.5">
          <TextField
            label="Pattern for names"
            value={pattern}
            className="w-40"
            onChange={(e) => {
              setPattern(e.target.value);
            }}
          />
          <Button
            onClick={() => {
              onChange(chapters.map((c, i) => ({ ...c, name: numberedNames(pattern, chapters.length)[i] ?? c.name })));
              setOpen(null);
            }}
          >
            Name them so
          </Button>
          <span className="text-second"># is the number</span>
        </span>
      )}
      {open === 'paste' && <PasteBox onTake={take} />}
      {wrong && (
        <p role="alert" className="w-full text-eyes">
          {wrong}
        </p>
      )}
    </>
  );
}
