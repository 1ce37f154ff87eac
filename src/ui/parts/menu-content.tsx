import { DropdownMenu } from 'radix-ui';
import { HoldToasts } from './toasts';

/** What a menu opens with: over the page, in the house's frame, and nothing is said meanwhile. */
export function MenuContent({ className, children, ...more }: DropdownMenu.DropdownMenuContentProps) {
  return (
    <DropdownMenu.Portal>
      <DropdownMenu.Content {...more} className={`border border-line bg-card p-1 shadow-lg ${className ?? ''}`}>
        <HoldToasts />
        {children}
      </DropdownMenu.Content>
    </DropdownMenu.Portal>
  );
}
