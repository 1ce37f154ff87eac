import { useLiveQuery } from 'dexie-react-hooks';
import { DEFAULT_RULES, type HouseRules, type SetChoice } from '@/core/reels';
import { HouseRulesSchema } from '@/contract';
import { catalogue } from './archive';

/** The house rules of this catalogue; the default ones where none were made. */
export async function readRules(): Promise<HouseRules> {
  const kept = HouseRulesSchema.safeParse(await catalogue().rules());
  return kept.success ? kept.data : DEFAULT_RULES;
}

export async function saveRules(rules: HouseRules): Promise<void> {
  await catalogue().settings.put({ key: 'house rules', rules: HouseRulesSchema.parse(rules) });
}

/** Keeps a choice for the discs of a set, in the place of an earlier one. Of two that come at once both are kept. */
export async function keepChoice(choice: SetChoice): Promise<void> {
  const { settings } = catalogue();
  await catalogue().transaction('rw', settings, async () => {
    const rules = await readRules();
    const rest = rules.sets.filter((s) => s.series !== choice.series || s.role !== choice.role);
    await saveRules({ ...rules, sets: [...rest, choice] });
  });
}

/** Live; the default ones until they are known. */
export const useRules = (): HouseRules => useLiveQuery(readRules, []) ?? DEFAULT_RULES;
