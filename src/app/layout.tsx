import { AntdRegistry } from '@ant-design/nextjs-registry';
import type { Metadata } from 'next';
import { headers } from 'next/headers';
import type { ReactNode } from 'react';
import { EARLY_PRESS_SCRIPT } from '@/ui/early-press';
import '@fontsource-variable/public-sans/index.css';
import '@fontsource-variable/archivo/index.css';
import './globals.css';

export const metadata: Metadata = {
  title: 'Ullager',
  description: 'Divide a disk into system and data volumes, with everything on it kept and proven.',
  icons: { icon: '/icon.svg' },
};

export default async function RootLayout({ children }: { readonly children: ReactNode }) {
  // Reading the headers renders the page for each request, which gives its scripts the request's nonce.
  const nonce = (await headers()).get('x-nonce') ?? undefined;
  return (
    <html lang="en" suppressHydrationWarning>
      <head>
        {/* The browser shows the nonce of a script to nobody, so that there is another on the page than in the document. */}
        <script nonce={nonce} suppressHydrationWarning dangerouslySetInnerHTML={{ __html: EARLY_PRESS_SCRIPT }} />
      </head>
      <body>
        <AntdRegistry>{children}</AntdRegistry>
      </body>
    </html>
  );
}
