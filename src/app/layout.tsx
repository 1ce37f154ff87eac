import type { Metadata } from 'next';
import { cookies, headers } from 'next/headers';
import type { ReactNode } from 'react';
import { Shell } from '@/ui/shell';
import './globals.css';

export const metadata: Metadata = {
  title: { default: 'Careful Vault', template: '%s · Careful Vault' },
  description: 'From owned discs to proven files',
};

export default async function RootLayout({ children }: { children: ReactNode }) {
  const nonce = (await headers()).get('x-nonce') ?? '';
  const theme = (await cookies()).get('theme')?.value;
  return (
    <html lang="en" {...(theme === 'light' || theme === 'dark' ? { 'data-theme': theme } : {})}>
      <body>
        <Shell nonce={nonce}>{children}</Shell>
      </body>
    </html>
  );
}
