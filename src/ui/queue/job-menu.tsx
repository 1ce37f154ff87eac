'use client';

import { DropdownMenu } from 'radix-ui';
import { Ellipsis } from 'lucide-react';
import type { JobState } from '@/contract';
import { canTell } from './queue-groups';
import { MenuContent } from '../parts/menu-content';

const item =
  'flex cursor-pointer items-center rounded-[4px] px-2.5 py-1 outline-none data-[disabled]:cursor-default data-[disabled]:text-third data-[highlighted]:bg-wash';

/** What else can be decided about a job. */
export function JobMenu({ job, onFirst, onLast, onTime }: { job: JobState; onFirst: () => void; onLast: () => void; onTime: () => void }) {
  const can = canTell([job]);
  const entry = (text: string, isPossible: boolean, action: () => void) => (
    <DropdownMenu.Item className={item} disabled={!isPossible} onSelect={action}>
      {text}
    </DropdownMenu.Item>
  );
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label={`What to do with ${job.name}`}
        className="rounded-[4px] p-1 text-second hover:bg-wash hover:text-ink"
      >
        <Ellipsis size={15} aria-hidden />
      </DropdownMenu.Trigger>
      <MenuContent align="end" sideOffset={4} className="z-40 rounded-[6px]">
        {entry('To the front', can.order, onFirst)}
        {entry('To the end', can.order, onLast)}
        {entry('Begin at…', can.time, onTime)}
      </MenuContent>
    </DropdownMenu.Root>
  );
}
