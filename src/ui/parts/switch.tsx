import { ToggleGroup } from 'radix-ui';

/** One of a few, all of them seen; chosen by click or by arrow key. */
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
    <ToggleGroup.Root
      type="single"
      role="radiogroup"
      aria-label={label}
      value={value}
      onValueChange={(next) => {
        // A second click on what is chosen would leave nothing chosen.
        if (next !== '') onChange(next as T);
      }}
      className="flex w-fit overflow-hidden rounded-[6px] border border-line"
    >
      {options.map((o) => (
        <ToggleGroup.Item
          key={o.value}
          value={o.value}
          className="bg-card px-2 py-0.5 whitespace-nowrap hover:bg-wash data-[state=on]:bg-ink data-[state=on]:text-paper"
        >
          {o.name}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
