'use client';

import { Dialog } from 'radix-ui';
import { X } from 'lucide-react';
import type { ReactNode } from 'react';
import { HoldToasts } from './toasts';

/** A dialog on the page: closed with Escape, by its cross, or by a click beside it. */
export function Modal({
  title,
  onClose,
  children,
  footer,
  wide = false,
}: {
  title: ReactNode;
  onClose: () => void;
  children: ReactNode;
  footer?: ReactNode;
  wide?: boolean;
}) {
  return (
    <Dialog.Root
      open
      onOpenChange={(open) => {
        if (!open) onClose();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/30" />
        <Dialog.Content
          aria-describedby={undefined}
          className={`fixed top-1/2 left-1/2 z-50 flex max-h-[88dvh] -translate-x-1/2 -translate-y-1/2 flex-col rounded-[8px] border border-line bg-card shadow-xl ${wide ? 'w-[min(1080px,94vw)]' : 'w-[min(640px,94vw)]'}`}
        >
          <HoldToasts />
          <header className="flex items-center justify-between gap-4 border-b border-faint px-4 py-2">
            <Dialog.Title className="min-w-0 truncate font-serif text-[17px] font-semibold">{title}</Dialog.Title>
            <Dialog.Close aria-label="Close" className="text-third hover:text-ink">
              <X size={16} aria-hidden />
            </Dialog.Close>
          </header>
          <div className="min-h-0 flex-1 overflow-y-auto px-4 py-3">{children}</div>
          {footer && <footer className="flex items-center justify-end gap-2 border-t border-faint px-4 py-2">{footer}</footer>}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
