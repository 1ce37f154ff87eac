/** One of a few, all of them seen. */
export function Switch<T extends string>({
  value,
  options,
  onChange,
  label,
}: {
  value: T;
  options: readonly { readonly value: T; readonly name: string }[];
  onChange: (value: T) => void;
  label: string;
}) {
  return (
    <div role="radiogroup" aria-label={label} className="flex w-fit overflow-hidden rounded-[6px] border border-line">
      {options.map((o) => (
        <button
          key={o.value}
          type="button"
          role="radio"
          aria-checked={o.value === value}
          onClick={() => {
            onChange(o.value);
          }}
          className={`px-2 py-0.5 ${o.value === value ? 'bg-ink text-paper' : 'bg-card hover:bg-wash'}`}
        >
          {o.name}
        </button>
      ))}
    </div>
  );
}
