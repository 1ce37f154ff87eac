import { languageName } from '../format';

/** The languages of ISO 639-1, and a few of ISO 639-2 that have no two letters and stand on discs. */
const TAGS =
  'aa ab af ak am an ar as av ay az ba be bg bi bm bn bo br bs ca ce ch co cr cs cu cv cy da de dv dz ee el en eo es et eu fa ff fi fj fo fr fy ga gd gl gn gu gv ha he hi ho hr ht hu hy hz ia id ie ig ii ik io is it iu ja jv ka kg ki kj kk kl km kn ko kr ks ku kv kw ky la lb lg li ln lo lt lu lv mg mh mi mk ml mn mr ms mt my na nb nd ne ng nl nn no nr nv ny oc oj om or os pa pi pl ps pt qu rm rn ro ru rw sa sc sd se sg si sk sl sm sn so sq sr ss st su sv sw ta te tg th ti tk tn to tr ts tt ty ug uk ur uz ve vi vo wa wo xh yi yo za zh zu yue sco fil haw zxx';

/** A language to choose. */
export interface Language {
  readonly tag: string;
  readonly name: string;
}

/** All that can be chosen, by name. */
export const allLanguages = (): readonly Language[] =>
  TAGS.split(' ')
    .map((tag) => ({ tag, name: languageName(tag) }))
    .filter((l) => l.name !== l.tag)
    .sort((a, b) => a.name.localeCompare(b.name));

/** A BCP 47 tag in its usual writing, "pt-BR"; null where the text is none. */
export function tagOf(text: string): string | null {
  const wish = text.trim();
  if (!/^[a-z]{2,3}(-[a-z0-9]{1,8})*$/i.test(wish)) return null;
  try {
    return Intl.getCanonicalLocales(wish)[0] ?? null;
  } catch {
    return null;
  }
}
