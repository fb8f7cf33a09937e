import { Input, type InputRef } from 'antd';
import { useEffect, useRef, useState } from 'react';

interface TextProps {
  readonly value: string;
  readonly label: string;
  readonly max?: number;
  readonly placeholder?: string;
  readonly plain?: boolean;
  readonly className?: string;
  readonly allowEmpty?: boolean;
  readonly onCommit: (v: string) => void;
}
/** A text handed on once: by Enter or by leaving. Escape puts the old one back; an empty one is refused unless allowed. */
export function TextField({ value, label, max, placeholder, plain, className, allowEmpty, onCommit }: TextProps) {
  const [text, setText] = useState(value);
  const last = useRef(value);
  const input = useRef<InputRef>(null);
  useEffect(() => {
    last.current = value;
    setText(value);
  }, [value]);
  const done = () => {
    const t = text.trim();
    if (t === last.current) return;
    if (!t && !allowEmpty) {
      setText(last.current);
      return;
    }
    last.current = t;
    onCommit(t);
  };
  return (
    <Input
      ref={input}
      size="small"
      className={className}
      variant={plain ? 'borderless' : undefined}
      aria-label={label}
      value={text}
      maxLength={max}
      placeholder={placeholder}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onClick={(e) => e.stopPropagation()}
      onKeyDown={(e) => {
        if (e.key === 'Enter') {
          e.stopPropagation();
          done();
          input.current?.blur();
        }
        if (e.key === 'Escape') {
          e.stopPropagation();
          setText(last.current);
          input.current?.blur();
        }
      }}
    />
  );
}
