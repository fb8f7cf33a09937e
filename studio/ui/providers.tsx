'use client';
import { ConfigProvider, theme } from 'antd';
import { type ReactNode, useEffect, useState } from 'react';
import { useSettings } from '../state/settings.ts';

const LIGHT = {
  accent: '#2F6B4F',
  chalk: '#FFFFFF',
  porcelain: '#F5F2EC',
  ink: '#1E2A2E',
  slate: '#5C6B73',
  line: '#E3DED4',
  rust: '#B5432A',
  brass: '#7E5C0C',
  soft: '#E4EDE7',
};
const DARK = {
  accent: '#7DBF9C',
  chalk: '#232B2F',
  porcelain: '#1B2124',
  ink: '#E8E4DB',
  slate: '#A3B0B6',
  line: '#364045',
  rust: '#EC8A72',
  brass: '#E3C06A',
  soft: '#24382F',
};

/** Theme of the component library, in our own colours; follows the light or dark scheme. */
export function Providers({ children }: { children: ReactNode }) {
  const chosen = useSettings((s) => s.dark);
  const [ready, setReady] = useState(false);
  useEffect(() => setReady(true), []);
  // the server knows no settings: the first picture is light, as it was sent
  const dark = ready && chosen;
  const c = dark ? DARK : LIGHT;
  useEffect(() => {
    document.documentElement.dataset.scheme = dark ? 'dark' : 'light';
  }, [dark]);
  return (
    <ConfigProvider
      wave={{ disabled: true }}
      theme={{
        algorithm: dark ? theme.darkAlgorithm : theme.defaultAlgorithm,
        token: {
          colorPrimary: c.accent,
          colorInfo: c.accent,
          colorSuccess: c.accent,
          colorLink: c.accent,
          colorError: c.rust,
          colorWarning: c.brass,
          colorBgBase: c.chalk,
          // the dark scheme of the library would tint these blue
          ...(dark ? { colorBgContainer: c.chalk, colorBgElevated: '#2A3338' } : {}),
          colorBgLayout: c.porcelain,
          colorTextBase: c.ink,
          colorTextDescription: c.slate,
          colorTextPlaceholder: c.slate,
          colorBorder: c.line,
          colorBorderSecondary: c.line,
          colorSplit: c.line,
          colorTextLightSolid: dark ? '#14201A' : '#FFFFFF',
          borderRadius: 6,
          fontSize: 13,
          fontFamily: 'var(--ui)',
          controlHeight: 28,
          controlHeightSM: 26,
          motion: false,
        },
        components: {
          Button: { contentFontSizeSM: 12.5, paddingInlineSM: 8, defaultShadow: 'none', primaryShadow: 'none', fontWeight: 400 },
          Segmented: { trackBg: c.porcelain, itemSelectedBg: c.accent, itemSelectedColor: dark ? '#14201A' : '#FFFFFF', itemColor: c.ink },
          Table: {
            headerBg: c.chalk,
            headerColor: c.slate,
            cellFontSizeSM: 12.5,
            cellPaddingBlockSM: 3,
            cellPaddingInlineSM: 10,
            rowHoverBg: c.soft,
          },
          Tabs: {
            titleFontSizeSM: 13,
            horizontalItemPaddingSM: '7px 0',
            horizontalItemGutter: 18,
            itemColor: c.slate,
            itemSelectedColor: c.ink,
          },
          Tree: { titleHeight: 28, nodeHoverBg: 'transparent', indentSize: 14 },
          Splitter: { splitBarSize: 3, splitTriggerSize: 7 },
          Input: { colorBgContainer: c.porcelain },
          Select: { selectorBg: c.porcelain },
          Tooltip: { colorBgSpotlight: dark ? '#39464B' : '#2A373C' },
        },
      }}
    >
      {children}
    </ConfigProvider>
  );
}
