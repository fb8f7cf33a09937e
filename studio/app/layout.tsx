import type { Metadata } from 'next';
import type { ReactNode } from 'react';
import './globals.css';

export const metadata: Metadata = { title: 'Ample Skin', description: 'Surfaces with tests: curves, skins, seams, solids' };

/** The colours the person chose, put on before anything is drawn. */
const scheme = `try{document.documentElement.dataset.scheme=JSON.parse(localStorage.getItem('ample-settings')||'{}').state?.dark?'dark':'light'}catch{}`;

export default function Layout({ children }: { children: ReactNode }) {
  return (
    <html lang="en" suppressHydrationWarning>
      <body>
        {/* biome-ignore lint/security/noDangerouslySetInnerHtml: our own constant text, run before the first picture */}
        <script dangerouslySetInnerHTML={{ __html: scheme }} />
        {children}
      </body>
    </html>
  );
}
