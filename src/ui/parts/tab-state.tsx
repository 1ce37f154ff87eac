'use client';

import { useEffect } from 'react';
import { isOver } from '@/contract';
import { lastBatch, type Batch } from '@/store/batch';
import { useEngine } from '@/store/engine';
import { forecastOf } from '@/store/history';
import { plural, timeLeft } from '../format';

/** The mark of the application, and below it how far the queue is; an icon can not follow the page's colours. */
function iconOf(share: number | null, hasFailed: boolean): string {
  const bar =
    share === null
      ? ''
      : `<rect y="26" width="32" height="6" fill="#0a3f3f"/><rect y="26" width="${Math.round(share * 32)}" height="6" fill="#e8b04b"/>`;
  const dot = hasFailed ? '<circle cx="25" cy="7" r="7" fill="#c0392b"/>' : '';
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 32 32"><rect width="32" height="32" rx="7" fill="#0e5a5a"/><path d="M7 6h18v3H7zM7 12h11v3H7zM20 12h5v3h-5zM7 18h5v3H7zM14 18h11v3H14z" fill="#fbf9f4"/>${bar}${dot}</svg>`;
}

/** How far a batch is, by the clock; null while that is not known. */
function shareOf({ fromAt }: Batch, seconds: number | null): number | null {
  if (seconds === null) return null;
  const gone = (Date.now() - Date.parse(fromAt)) / 1000;
  return gone + seconds > 0 ? Math.max(0, Math.min(1, gone / (gone + seconds))) : 0;
}

/** What the tab says of the queue, whichever page is open: one looks at it from another window. */
export function TabState() {
  const { state } = useEngine();
  const open = state?.jobs.filter((j) => !isOver(j) && !j.paused) ?? [];
  const batch = state && open.length > 0 ? lastBatch(state.jobs) : null;
  const seconds = state && open.length > 0 ? forecastOf(state).seconds : null;
  const isWaiting = state?.queue.held && open.every((j) => j.state === 'waiting');
  const words =
    open.length === 0 ? '' : seconds === null || isWaiting ? `${plural(open.length, 'job')} · ` : `${timeLeft(seconds)} left · `;
  const share = batch ? shareOf(batch, seconds) : null;
  // Steps that can be seen.
  const icon = batch ? iconOf(share === null ? 0 : Math.round(share * 32) / 32, batch.failed.length > 0) : null;
  useEffect(() => {
    let own = '';
    const put = () => {
      const { title } = document;
      if (own !== '' && title === own) return;
      own = words + title;
      if (words !== '') document.title = own;
    };
    put();
    // A page that is opened meanwhile has a title of its own.
    const observer = new MutationObserver(put);
    observer.observe(document.head, { childList: true, subtree: true, characterData: true });
    return () => {
      observer.disconnect();
      if (words !== '' && document.title === own) document.title = own.slice(words.length);
    };
  }, [words]);
  useEffect(() => {
    if (icon === null) return;
    const link = document.createElement('link');
    link.rel = 'icon';
    link.type = 'image/svg+xml';
    link.href = `data:image/svg+xml,${encodeURIComponent(icon)}`;
    document.head.append(link);
    return () => {
      link.remove();
    };
  }, [icon]);
  return null;
}
