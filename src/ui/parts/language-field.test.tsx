/** @jest-environment jsdom */
import '@/test-support/page';
import { render, screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { LanguageField } from './language-field';
import { allLanguages, tagOf } from './languages';

jest.mock('@/store/rules', () => ({ useRules: () => ({ languages: ['gd', 'en'] }) }));

test('a language is found by its name, the archive’s own first; a region is written as a tag', async () => {
  const user = userEvent.setup();
  const chosen: (string | null)[] = [];
  const field = (value: string | null) => (
    <LanguageField
      label="Language of the work"
      value={value}
      onChange={(tag) => {
        chosen.push(tag);
      }}
    />
  );
  const { rerender } = render(field(null));
  await user.click(screen.getByRole('button', { name: 'Language of the work: not said' }));
  const list = () => within(screen.getByRole('listbox', { name: 'Language of the work' }));
  expect(
    list()
      .getAllByRole('option')
      .slice(0, 2)
      .map((o) => o.textContent),
  ).toEqual(['Scottish Gaelic gd', 'English en']);
  await user.keyboard('norw');
  await user.keyboard('{Enter}');
  expect(chosen).toEqual(['no']);

  rerender(field('no'));
  await user.click(screen.getByRole('button', { name: 'Language of the work: Norwegian' }));
  await user.keyboard('pt-br');
  await user.click(list().getByRole('option', { name: /^Brazilian Portuguese/ }));
  await user.click(screen.getByRole('button', { name: 'Language of the work: Norwegian' }));
  await user.click(list().getByRole('option', { name: 'not said' }));
  expect(chosen).toEqual(['no', 'pt-BR', null]);
  // What is no language is not offered as one.
  await user.click(screen.getByRole('button', { name: 'Language of the work: Norwegian' }));
  await user.keyboard('qzx');
  expect(screen.getByText('No language of that name.')).toBeTruthy();
});

test('every language has a name and a tag in its usual writing', () => {
  const all = allLanguages();
  expect(all.length).toBeGreaterThan(170);
  expect(new Set(all.map((l) => l.name)).size).toBe(all.length);
  for (const { tag } of all) expect(tagOf(tag)).toBe(tag);
  expect([tagOf('EN-gb'), tagOf('english'), tagOf(''), tagOf('en_GB'), tagOf('e')]).toEqual(['en-GB', null, null, null, null]);
});
