/** @jest-environment jsdom */
import '@/test-support/page';
import { useState } from 'react';
import { render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { DEFAULT_FILE_NAME, type NamePart } from '@/core/reels';
import { NameField } from './name-field';

const changes: (readonly NamePart[])[] = [];
function Held({ first }: { first: readonly NamePart[] }) {
  const [parts, setParts] = useState(first);
  return (
    <NameField
      label="File name"
      parts={parts}
      onChange={(next) => {
        changes.push(next);
        setParts(next);
      }}
    />
  );
}
const last = () => changes.at(-1);

test('parts are added, changed and taken out, one by one', async () => {
  const user = userEvent.setup();
  render(<Held first={DEFAULT_FILE_NAME} />);
  expect(screen.getAllByRole('button', { name: /^Part / })).toHaveLength(5);

  await user.click(screen.getByRole('button', { name: 'Part episode' }));
  await user.selectOptions(screen.getByLabelText('Digits'), '3 digits');
  expect(last()?.[2]).toEqual({ kind: 'field', field: 'episode', digits: 3, before: '', after: ' ' });
  await user.clear(screen.getByLabelText('Text after it'));
  await user.type(screen.getByLabelText('Text after it'), ' - ');
  expect(last()?.[2]).toMatchObject({ after: ' - ' });
  // A name has no digits to be filled up.
  await user.click(screen.getByRole('button', { name: 'Part name' }));
  expect(screen.queryByLabelText('Digits')).toBeNull();
  await user.click(screen.getByRole('button', { name: 'take it out' }));
  expect(last()?.map((p) => (p.kind === 'field' ? p.field : p.text))).toEqual(['series', 'season', 'episode', 'year']);

  await user.click(screen.getByRole('button', { name: 'Add a part to the file name' }));
  await user.click(screen.getByRole('menuitem', { name: 'a text' }));
  await user.clear(screen.getByLabelText('Text'));
  await user.type(screen.getByLabelText('Text'), '/x');
  expect(last()?.at(-1)).toEqual({ kind: 'text', text: '/x' });
  // What is open is closed by a second click; Enter opens it again.
  await user.click(screen.getByRole('button', { name: 'Part the text “/x”' }));
  expect(screen.queryByLabelText('Text')).toBeNull();
  await user.keyboard('{Enter}');
  expect(screen.getByLabelText('Text')).toBeTruthy();
});
