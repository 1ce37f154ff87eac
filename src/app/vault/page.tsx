import type { Metadata } from 'next';
import { VaultPage } from '@/ui/vault/vault-page';

export const metadata: Metadata = { title: 'Vault' };

export default function Page() {
  return <VaultPage />;
}
