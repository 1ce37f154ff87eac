import type { Metadata } from 'next';
import { BenchDoor } from '@/ui/bench/bench-door';

export const metadata: Metadata = { title: 'Bench' };

export default function Page() {
  return <BenchDoor />;
}
