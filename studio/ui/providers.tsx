'use client';
import { App, ConfigProvider, theme } from 'antd';
import { type ReactNode, useEffect, useState } from 'react';
import { useStudio } from '../state/store.ts';

/** Theme of the component library, in our own colours; follows the light or dark scheme. */
export function Providers({ children }: { children: ReactNode }) {
  const chosen = useStudio((s) => s.view.dark);
  const [stored, setStored] = useState(false);
  useEffect(() => {
    try {
      setStored(!!JSON.parse(localStorage.getItem('ample-view') ?? '{}').dark);
    } catch {
      setStored(false);
    }
  }, []);
  const opened = useStudio((s) => s.id !== '');
  const dark = opened ? chosen : stored;
  useEffect(() => {
    document.documentElement.dataset.scheme = dark ? 'dark' : 'light';
  }, [dark]);
  return (
    <ConfigProvider
      theme={{
        algorithm: dark ? theme.darkAlgorithm : theme.defaultAlgorithm,
        token: {
          colorPrimary: dark ? '#7DBF9C' : '#2F6B4F',
          colorBgBase: dark ? '#232B2F' : '#FFFFFF',
          colorTextBase: dark ? '#E8E4DB' : '#1E2A2E',
          borderRadius: 6,
          fontSize: 13,
          fontFamily: 'var(--ui)',
          controlHeight: 28,
        },
      }}
    >
      <App component={false}>{children}</App>
    </ConfigProvider>
  );
}
