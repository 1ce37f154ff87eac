/** @jest-environment jsdom */
import { render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { KEYS } from './key-table';
import { useKeys, type KeyHandlers } from './use-keys';

function Bound(handlers: KeyHandlers) {
  useKeys(handlers);
  return <input aria-label="A field" />;
}

test('keys do what the table says, not while a field is written in, and not what can not be done', async () => {
  const user = userEvent.setup();
  const done: string[] = [];
  const does = (what: string) => () => {
    done.push(what);
  };
  const { rerender, unmount } = render(
    <Bound undo={does('undo')} redo={does('redo')} take={does('take')} closer={does('closer')} merge={null} />,
  );
  await user.keyboard('t+{Control>}z{/Control}{Control>}{Shift>}z{/Shift}{/Control}mq');
  expect(done).toEqual(['take', 'closer', 'undo', 'redo']);
  await user.type(screen.getByLabelText('A field'), 'tt');
  expect(done).toHaveLength(4);
  (document.activeElement as HTMLElement).blur();
  // What a key does may change with every step.
  rerender(<Bound undo={null} redo={null} take={does('another')} closer={null} merge={does('merge')} />);
  await user.keyboard('tm{Control>}z{/Control}');
  expect(done.slice(4)).toEqual(['another', 'merge']);
  unmount();
  await user.keyboard('t');
  expect(done).toHaveLength(6);
});

test('no key means two things at one place', () => {
  const bound = KEYS.flatMap((k) => k.bind.map((key) => `${k.place} ${key}`));
  expect(new Set(bound).size).toBe(bound.length);
  expect(new Set(KEYS.map((k) => k.action)).size).toBe(KEYS.length);
});
