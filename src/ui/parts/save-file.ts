import { safeFileName } from '@/core/reels';

/** Hands a text to the browser as a download. */
export function saveText(name: string, text: string, type: string): void {
  const [, stem = name, ending = ''] = /^(.*?)(\.[a-z0-9]{1,5})?$/i.exec(name) ?? [];
  const address = URL.createObjectURL(new Blob([text], { type: `${type};charset=utf-8` }));
  const link = document.createElement('a');
  link.href = address;
  link.download = safeFileName(stem) + ending;
  link.click();
  setTimeout(() => {
    URL.revokeObjectURL(address);
  }, 10_000);
}
