import { Button, notification } from 'antd';
import { useEffect, useState } from 'react';
import { useStudio } from '../state/state.ts';

/** Notices appear beside the sheet, errors stay longer; each once. Loaded with the first one. */
export function Notices() {
  const notices = useStudio((s) => s.notices);
  const [api, holder] = notification.useNotification({ top: 58, stack: { threshold: 4 } });
  const [shown, setShown] = useState(0);
  useEffect(() => {
    for (const n of notices) {
      if (n.id <= shown) continue;
      api[n.kind]({
        key: String(n.id),
        title: n.text,
        className: `notice ${n.kind}`,
        placement: 'topRight',
        duration: n.kind === 'error' ? 12 : 5,
        role: n.kind === 'error' ? 'alert' : 'status',
        actions: n.action ? (
          <Button size="small" onClick={n.action.run}>
            {n.action.label}
          </Button>
        ) : undefined,
      });
    }
    const last = notices.at(-1)?.id ?? 0;
    if (last > shown) setShown(last);
  }, [notices, shown, api]);
  return holder;
}
