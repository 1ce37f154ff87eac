'use client';

import type { InputHTMLAttributes, ReactNode, SelectHTMLAttributes } from 'react';

const BOX =
  'rounded-[5px] border border-line bg-card px-1.5 py-0.5 text-ink placeholder:text-third disabled:border-faint disabled:bg-transparent disabled:text-second disabled:opacity-100';

export function TextField({ label, className = '', ...rest }: InputHTMLAttributes<HTMLInputElement> & { label: string }) {
  return <input aria-label={label} {...rest} className={`${BOX} ${className}`} />;
}

export function Select<T extends string>({
  label,
  value,
  options,
  onChange,
  className = '',
  ...rest
}: Omit<SelectHTMLAttributes<HTMLSelectElement>, 'onChange' | 'value'> & {
  label: string;
  value: T;
  options: readonly { readonly value: T; readonly name: string }[];
  onChange: (value: T) => void;
}) {
  return (
    <select
      aria-label={label}
      value={value}
      onChange={(e) => {
        onChange(e.target.value as T);
      }}
      {...rest}
      className={`${BOX} ${className}`}
    >
      {options.map((o) => (
        <option key={o.value} value={o.value}>
          {o.name}
        </option>
      ))}
    </select>
  );
}

export function Check({
  label,
  checked,
  onChange,
  disabled = false,
}: {
  label: ReactNode;
  checked: boolean;
  onChange: (on: boolean) => void;
  disabled?: boolean;
}) {
  return (
    <label className={`flex items-center gap-1.5 ${disabled ? 'text-third' : ''}`}>
      <input
        type="checkbox"
        className="accent-(--accent)"
        checked={checked}
        disabled={disabled}
        onChange={(e) => {
          onChange(e.target.checked);
        }}
      />
      {label}
    </label>
  );
}

/** A row of a form: what it is, and what one does about it. */
export function Row({ name, children, hint }: { name: string; children: ReactNode; hint?: ReactNode }) {
  return (
    <div className="grid grid-cols-[var(--row-name,118px)_minmax(0,1fr)] items-start gap-x-3 py-1">
      <span className="pt-0.5 text-second">{name}</span>
      <div className="flex min-w-0 flex-col gap-1">
        {children}
        {hint !== undefined && <span className="text-[12px] text-third">{hint}</span>}
      </div>
    </div>
  );
}

/** A number that may be left out, between the words that say what it is. */
export function NumberField({
  label,
  before,
  after,
  value,
  usual,
  step = 1,
  narrow = false,
  disabled,
  onChange,
}: {
  label: string;
  before?: string;
  after: string;
  value: number | null;
  usual: string;
  step?: number;
  narrow?: boolean;
  disabled: boolean;
  onChange: (value: number | null) => void;
}) {
  return (
    <label className="flex items-center gap-1.5 text-second">
      {before}
      <TextField
        label={label}
        type="number"
        step={step}
        className={narrow ? 'w-16' : 'w-20'}
        disabled={disabled}
        placeholder={usual}
        value={value ?? ''}
        onChange={(e) => {
          onChange(e.target.value === '' ? null : Number(e.target.value));
        }}
      />
      {after}
    </label>
  );
}
