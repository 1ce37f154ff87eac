import { HARDWARE_NAMES, type Recipe } from '@/core/recipes';
import type { EncoderState } from '@/contract';

/** What the parts of the form are about. */
export interface RecipeProps {
  readonly recipe: Recipe;
  /** It came with the application: it is looked at, and copied to be changed. */
  readonly locked: boolean;
  readonly wrong: readonly { readonly path: readonly PropertyKey[]; readonly message: string }[];
  readonly set: (recipe: Recipe) => void;
  /** Encoders as they were found here; empty before they were tried. */
  readonly encoders: readonly EncoderState[];
}

/** Why something that the recipe asks for can not be encoded here. */
export function Missing({ name, encoders }: { name: string; encoders: readonly EncoderState[] }) {
  const found = encoders.find((e) => e.name === name);
  if (!found || found.works) return null;
  return (
    <span className="text-damaged">
      {name} can not be encoded on this machine: {found.reason}
    </span>
  );
}

/** Why no hardware of this machine encodes a codec: each kind in its own words. */
export function NoHardware({ codec, encoders }: { codec: string; encoders: readonly EncoderState[] }) {
  const tried = encoders.filter((e) => e.name.endsWith(` ${codec}`) && HARDWARE_NAMES.some((n) => n === e.name));
  if (tried.some((e) => e.works)) return null;
  if (tried.length === 0) return encoders.length === 0 ? null : <span className="text-second">No hardware encodes {codec} here.</span>;
  return (
    <details className="text-second">
      <summary className="cursor-pointer">No hardware of this machine encodes {codec}: software does.</summary>
      <ul className="pt-1 text-[12px]">
        {tried.map((e) => (
          <li key={e.name} className="break-words">
            {e.name}: {e.reason}
          </li>
        ))}
      </ul>
    </details>
  );
}

export const named = <T extends string>(values: readonly T[], names?: Readonly<Record<T, string>>) =>
  values.map((value) => ({ value, name: names?.[value] ?? value }));
