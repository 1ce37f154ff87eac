import type { Metadata } from 'next';
import { BenchPage } from '@/ui/bench/bench-page';

export const metadata: Metadata = { title: 'Bench' };

export default async function Page({ params }: { params: Promise<{ discId: string }> }) {
  return <BenchPage discId={(await params).discId} />;
}
