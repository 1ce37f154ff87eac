import { LoaderCircle } from 'lucide-react';
import type { ButtonHTMLAttributes, CSSProperties, ReactNode } from 'react';

type Tone = 'main' | 'plain' | 'quiet' | 'danger';
const TONES: Readonly<Record<Tone, string>> = {
  main: 'bg-accent text-on-accent border-transparent font-semibold hover:brightness-110 disabled:opacity-45',
  plain: 'bg-card border-line hover:border-second disabled:opacity-45',
  quiet: 'border-transparent text-second hover:text-ink hover:bg-wash disabled:opacity-45',
  danger: 'bg-card border-line text-damaged hover:border-damaged disabled:opacity-45',
};

/**
 * A button of one of four weights; one `main` per screen.
 * @param busy what it started is under way: it says so where it was clicked, and can not be clicked again.
 */
export function Button({
  tone = 'plain',
  className = '',
  busy = false,
  disabled,
  children,
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { tone?: Tone; busy?: boolean }) {
  return (
    <button
      type="button"
      {...rest}
      disabled={disabled === true || busy}
      aria-busy={busy}
      className={`inline-flex items-center justify-center gap-1.5 rounded-[6px] border px-2.5 py-1 whitespace-nowrap transition-colors ${TONES[tone]} ${className}`}
    >
      {busy && <LoaderCircle size={13} aria-hidden className="animate-spin motion-reduce:animate-none" />}
      {children}
    </button>
  );
}

export function Panel({
  title,
  aside,
  children,
  className = '',
  label,
  style,
}: {
  title?: ReactNode;
  aside?: ReactNode;
  children: ReactNode;
  className?: string;
  label?: string;
  style?: CSSProperties;
}) {
  return (
    <section
      aria-label={label}
      style={style}
      className={`flex min-h-0 min-w-0 flex-col overflow-hidden rounded-[8px] border border-line bg-card ${className}`}
    >
      {(title !== undefined || aside !== undefined) && (
        <header className="flex min-h-9 items-center justify-between gap-3 border-b border-faint px-3 py-1.5">
          <h2 className="min-w-0 truncate font-serif text-[15px] font-semibold">{title}</h2>
          {aside}
        </header>
      )}
      {children}
    </section>
  );
}

export type State = 'kept' | 'planned' | 'eyes' | 'damaged' | 'running' | 'none';
const STATE_COLOUR: Readonly<Record<State, string>> = {
  kept: 'text-kept',
  planned: 'text-planned',
  eyes: 'text-eyes',
  damaged: 'text-damaged',
  running: 'text-accent',
  none: 'text-third',
};

/** A state's mark: a shape of its own for each, since colour alone says nothing to many. */
export function Mark({ state }: { state: State }) {
  const shape = {
    kept: (
      <path
        d="M6 0.8l1.4 1.1 1.8-.2.5 1.7 1.5 1-.6 1.6.6 1.7-1.5 1-.5 1.7-1.8-.2L6 11.2l-1.4-1.1-1.8.2-.5-1.7-1.5-1L1.4 6 .8 4.4l1.5-1 .5-1.7 1.8.2z M3.6 6l1.7 1.7L8.5 4.4"
        fill="none"
        stroke="currentColor"
        strokeWidth="1.2"
      />
    ),
    planned: <rect x="1.5" y="2.5" width="9" height="7" rx="1" fill="none" stroke="currentColor" strokeWidth="1.4" />,
    eyes: <path d="M6 1l5 5-5 5-5-5z" fill="currentColor" />,
    damaged: <path d="M1.5 10.5l9-9M1.5 6.5l5-5M5.5 10.5l5-5" stroke="currentColor" strokeWidth="1.5" />,
    running: <path d="M2.5 1.5l7.5 4.5-7.5 4.5z" fill="currentColor" />,
    none: <circle cx="6" cy="6" r="3.6" fill="none" stroke="currentColor" strokeWidth="1.2" />,
  }[state];
  return (
    <svg viewBox="0 0 12 12" aria-hidden className={`inline-block size-3 shrink-0 ${STATE_COLOUR[state]}`}>
      {shape}
    </svg>
  );
}

export function StateText({ state, children }: { state: State; children: ReactNode }) {
  return (
    <span className={`inline-flex items-center gap-1.5 ${STATE_COLOUR[state]}`}>
      <Mark state={state} />
      <span>{children}</span>
    </span>
  );
}

export function Bar({ value, label, tone = 'bg-accent' }: { value: number | null; label: string; tone?: string }) {
  const percent = value === null ? 0 : Math.max(0, Math.min(100, value * 100));
  return (
    <div
      role="progressbar"
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={100}
      {...(value === null ? {} : { 'aria-valuenow': Math.round(percent) })}
      className="h-1.5 overflow-hidden rounded-[2px] bg-faint"
    >
      <div
        className={`h-full ${tone} ${value === null ? 'w-1/4 animate-pulse' : ''}`}
        style={value === null ? undefined : { width: `${percent.toFixed(1)}%` }}
      />
    </div>
  );
}

export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="flex flex-1 flex-col items-center justify-center gap-2 p-8 text-center">
      <p className="font-serif text-[17px]">{title}</p>
      <div className="max-w-md text-second">{children}</div>
    </div>
  );
}

export function Key({ children }: { children: ReactNode }) {
  return (
    <kbd className="inline-flex min-w-[18px] items-center justify-center rounded-[4px] border border-current/40 px-1 font-sans text-[11px] leading-[16px] opacity-80">
      {children}
    </kbd>
  );
}
