import { useLiveQuery } from 'dexie-react-hooks';
import { DEFAULT_RULES, type HouseRules } from '@/core/reels';
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

/** Live; the default ones until they are known. */
export const useRules = (): HouseRules => useLiveQuery(readRules, []) ?? DEFAULT_RULES;
