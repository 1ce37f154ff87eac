import { DEFAULT_RULES, ruleFromOverruling, type Ground, type HouseRules } from '.';

test.each<[Ground, boolean, Partial<HouseRules> | null, Partial<HouseRules>?]>([
  ['commentary', false, { commentary: false }],
  ['description', false, { description: false }],
  ['hearing impaired', true, { hearingImpaired: true }, { hearingImpaired: false }],
  ['extras', true, { extras: true }],
  ['shortest extra', true, { shortestExtraMs: 0 }],
  ['cuts', true, { cuts: true }],
  ['series', true, { series: 'both' }],
  ['series', false, { series: 'episodes' }, { series: 'both' }],
  ['other language', true, { languages: ['en', 'de'] }, { languages: ['en'] }],
  ['preferred language', false, { languages: ['en'] }, { languages: ['en', 'DE'] }],
  ['quality: lesser', true, { quality: 'all' }, { quality: 'best' }],
  ['quality: compatible', false, { quality: 'best' }, { quality: 'best and compatible' }],
  ['subtitles', false, { subtitles: 'none' }],
  ['audio', false, { audio: 'preferred' }, { languages: ['en'] }],
  ['audio', false, null],
  ['main title', false, null],
  ['unknown codec', true, null],
])('%s, instead %s', (ground, taken, change, before = {}) => {
  const rules = { ...DEFAULT_RULES, ...before };
  const made = ruleFromOverruling(rules, { decision: { ground, taken: !taken }, taken, kind: 'audio', language: 'de' });
  expect(made).toEqual(change === null ? null : { ...rules, ...change });
});

test('what agrees with the rules makes none', () => {
  expect(
    ruleFromOverruling(DEFAULT_RULES, { decision: { ground: 'extras', taken: true }, taken: true, kind: 'title', language: null }),
  ).toBeNull();
});
