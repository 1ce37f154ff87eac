import type { Metadata } from 'next';
import { RulesPage } from '@/ui/rules/rules-page';

export const metadata: Metadata = { title: 'House rules' };

export default function Page() {
  return <RulesPage />;
}
