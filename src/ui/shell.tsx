'use client';

import { QueryClientProvider } from '@tanstack/react-query';
import { setNonce } from 'get-nonce';
import { SunMoon } from 'lucide-react';
import Link from 'next/link';
import { usePathname } from 'next/navigation';
import { useEffect, type ReactNode } from 'react';
import { useArchive } from '@/store/archive';
import { connectEngine, useEngine } from '@/store/engine';
import { lookAtArrivals } from '@/store/first-looks';
import { useDiscCount } from '@/store/live';
import { queryClient } from '@/store/query';
import { Empty, Mark } from './parts/controls';
import { KeySheet } from './parts/key-sheet';
import { Background } from './parts/background';
import { TabState } from './parts/tab-state';
import { KeepCards } from './parts/keep-cards';
import { Toasts } from './parts/toasts';
import { readingText } from './words-queue';

const PLACES = [
  { href: '/', name: 'Shelf' },
  { href: '/bench', name: 'Bench' },
  { href: '/queue', name: 'Queue' },
  { href: '/vault', name: 'Vault' },
  { href: '/recipes', name: 'Recipes' },
  { href: '/rules', name: 'House rules' },
] as const;

function toggleTheme(): void {
  const root = document.documentElement;
  const dark = root.dataset['theme'] === 'dark' || (!root.dataset['theme'] && matchMedia('(prefers-color-scheme: dark)').matches);
  const next = dark ? 'light' : 'dark';
  root.dataset['theme'] = next;
  document.cookie = `theme=${next}; path=/; max-age=31536000; samesite=strict`;
}

function PlaceLink({ href, name, count, active }: { href: string; name: string; count: number | null; active: boolean }) {
  return (
    <Link
      href={href}
      aria-current={active ? 'page' : undefined}
      className={`flex h-full items-center gap-1.5 border-b-2 px-3 text-[14px] ${active ? 'border-accent font-semibold' : 'border-transparent text-second hover:text-ink'}`}
    >
      {name}
      {count !== null && count > 0 && <span className="text-[12px] font-normal text-third">{count}</span>}
    </Link>
  );
}

/** The frame of every page: where one is, what runs, and whether the engine answers. */
export function Shell({ nonce, children }: { nonce: string; children: ReactNode }) {
  return (
    <QueryClientProvider client={queryClient}>
      <Frame nonce={nonce}>{children}</Frame>
    </QueryClientProvider>
  );
}

function Frame({ nonce, children }: { nonce: string; children: ReactNode }) {
  setNonce(nonce);
  useEffect(() => connectEngine(), []);
  useEffect(() => lookAtArrivals(), []);
  useEffect(() => {
    // Loaded behind the page: nothing that is seen waits for it.
    const started = import('@/store/measures-by-rule').then(({ measureByRule }) => measureByRule());
    return () => {
      void started.then((end) => {
        end();
      });
    };
  }, []);
  const path = usePathname();
  const { link, state } = useEngine();
  const open = useArchive();
  const archive = open?.archive ?? null;
  const isOpen = open !== null && !open.isTooNew;
  const discs = useDiscCount();
  const running = state?.jobs.filter((j) => ['running', 'waiting', 'interrupted'].includes(j.state)).length ?? null;
  const counts: Record<string, number | null> = { '/': discs, '/bench': null, '/queue': running, '/vault': state?.outputs ?? null };
  const reading = state?.readings.find((r) => r.state === 'reading');
  return (
    <div className="flex h-dvh min-w-[1000px] flex-col">
      <a href="#place" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-card focus:p-2">
        To the contents
      </a>
      <header className="flex h-11 shrink-0 items-stretch gap-6 border-b border-line px-5">
        <span className="self-center font-serif text-[18px] font-semibold">Careful Vault</span>
        <nav aria-label="Places" className="flex items-stretch gap-1">
          {PLACES.map(({ href, name }) => (
            <PlaceLink
              key={href}
              href={href}
              name={name}
              count={counts[href] ?? null}
              active={href === '/' ? path === '/' : path.startsWith(href)}
            />
          ))}
        </nav>
        <div className="ml-auto flex min-w-0 items-center gap-4 text-second" aria-live="polite">
          {reading && (
            <span>
              Reading {reading.name}: {readingText(reading)}
            </span>
          )}
          {link === 'lost' && (
            <span className="inline-flex items-center gap-1.5 text-eyes">
              <Mark state="eyes" /> The engine does not answer. Jobs go on; waiting for it…
            </span>
          )}
          {archive && (
            <Link
              href="/rules"
              title="The archive that is shown. Its name can be changed among the house rules."
              className="truncate hover:text-ink"
            >
              {archive.name}
            </Link>
          )}
          <button
            type="button"
            onClick={toggleTheme}
            aria-label="Light or dark"
            title="Light or dark"
            className="grid size-7 place-items-center rounded-[6px] hover:bg-wash hover:text-ink"
          >
            <SunMoon size={15} aria-hidden />
          </button>
        </div>
      </header>
      <KeySheet />
      <Toasts />
      <Background />
      <TabState />
      {isOpen && <KeepCards />}
      <main id="place" className="min-h-0 flex-1">
        {isOpen ? (
          children
        ) : open ? (
          <Empty title="This browser’s catalogue was written by a newer version of Careful Vault">
            Start that version again to go on with it, or use another browser. Nothing of it was changed.
          </Empty>
        ) : (
          <Empty title={link === 'lost' ? 'Waiting for the engine…' : 'Opening the catalogue…'} />
        )}
      </main>
    </div>
  );
}
