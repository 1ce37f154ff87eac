import type { Metadata } from 'next';
import { QueuePage } from '@/ui/queue/queue-page';

export const metadata: Metadata = { title: 'Queue' };

export default function Page() {
  return <QueuePage />;
}
