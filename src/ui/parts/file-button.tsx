'use client';

import type { ReactNode } from 'react';

const LOOKS = {
  plain: 'border border-line bg-card px-2.5 hover:border-second',
  quiet: 'px-1.5 text-second hover:bg-wash hover:text-ink',
} as const;

/** A button that chooses a file of this computer. The same file can be chosen again. */
export function FileButton({
  label,
  accept,
  tone = 'plain',
  title,
  children,
  onFile,
}: {
  label: string;
  accept: string;
  tone?: keyof typeof LOOKS;
  title?: string;
  children: ReactNode;
  onFile: (file: File) => void;
}) {
  return (
    <label
      title={title}
      className={`inline-flex cursor-pointer items-center rounded-[6px] py-1 whitespace-nowrap focus-within:outline-2 focus-within:outline-accent ${LOOKS[tone]}`}
    >
      {children}
      <input
        type="file"
        aria-label={label}
        accept={accept}
        className="sr-only"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) onFile(file);
          e.target.value = '';
        }}
      />
    </label>
  );
}
