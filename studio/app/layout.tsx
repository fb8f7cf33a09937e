import { AntdRegistry } from '@ant-design/nextjs-registry';
import type { Metadata } from 'next';
import type { ReactNode } from 'react';
import { Providers } from '../ui/providers.tsx';
import './globals.css';

export const metadata: Metadata = { title: 'Ample Skin', description: 'Surfaces with tests: curves, skins, seams, solids' };

export default function Layout({ children }: { children: ReactNode }) {
  return (
    <html lang="en" suppressHydrationWarning>
      <body>
        <AntdRegistry>
          <Providers>{children}</Providers>
        </AntdRegistry>
      </body>
    </html>
  );
}
