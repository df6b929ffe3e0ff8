import { useEffect, useRef, useState, type KeyboardEvent } from 'react';
import styled from 'styled-components';

const ROW = 22;

const Text = styled.div`
  position: relative;
  height: 330px;
  overflow: auto;
  border: 1px solid ${(p) => p.theme.edge};
  background: ${(p) => p.theme.sunk};
  font-family: 'IBM Plex Mono', monospace;
  font-size: 13.5px;
  line-height: ${ROW}px;
  .row {
    position: absolute;
    left: 0;
    right: 0;
    height: ${ROW}px;
    white-space: pre;
    overflow: hidden;
    text-overflow: ellipsis;
    padding-right: 8px;
    cursor: pointer;
  }
  .row i {
    display: inline-block;
    width: 52px;
    text-align: right;
    margin-right: 12px;
    font-style: normal;
    color: ${(p) => p.theme.quiet};
  }
  .row.now {
    background: ${(p) => p.theme.brassWash};
    font-weight: 600;
    box-shadow: inset 5px 0 0 ${(p) => p.theme.brass};
  }
  .row.edited i {
    color: ${(p) => p.theme.blue};
    font-weight: 600;
  }
  .row.found {
    box-shadow: inset 5px 0 0 ${(p) => p.theme.red};
  }
`;

interface Props {
  lines: readonly string[];
  /** The line of the moment, from 1. */
  now: number;
  /** Somebody points at a line, or goes so many lines on from the one of the moment. */
  onLine: (line: number) => void;
  onStep: (by: number) => void;
  /** Lines with a finding, and lines that somebody edited. */
  found: ReadonlySet<number | null | undefined>;
  edited?: ReadonlySet<number>;
  height?: string;
}

const nobody: ReadonlySet<number> = new Set();

/** A program's lines; only those that are seen are drawn. */
export function ProgramText({ lines, now, onLine, onStep, found, edited = nobody, height }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const [top, setTop] = useState(0);
  const [rows, setRows] = useState(26);
  useEffect(() => {
    const el = box.current;
    if (!el) return;
    const o = new ResizeObserver(() => setRows(Math.ceil(el.clientHeight / ROW) + 10));
    o.observe(el);
    return () => o.disconnect();
  }, []);
  useEffect(() => {
    const el = box.current;
    if (!el) return;
    const y = (now - 1) * ROW;
    if (y < el.scrollTop + 2 * ROW || y > el.scrollTop + el.clientHeight - 3 * ROW)
      el.scrollTop = y - el.clientHeight / 2;
  }, [now]);
  const keys = (e: KeyboardEvent) => {
    const by = { ArrowDown: 1, ArrowUp: -1, PageDown: 14, PageUp: -14 }[e.key];
    if (by === undefined) return;
    e.preventDefault();
    e.stopPropagation();
    onStep(by);
  };
  const first = Math.max(0, Math.floor(top / ROW) - 4);
  return (
    <Text
      ref={box}
      role="group"
      aria-label="Program text; arrow keys go through its lines"
      tabIndex={0}
      style={height ? { height } : undefined}
      onScroll={(e) => setTop(e.currentTarget.scrollTop)}
      onKeyDown={keys}
      data-line={now}
    >
      <div style={{ height: lines.length * ROW }} />
      {lines.slice(first, first + rows).map((text, n) => {
        const line = first + n + 1;
        return (
          <div
            key={line}
            className={`row ${line === now ? 'now' : found.has(line) ? 'found' : ''} ${edited.has(line) ? 'edited' : ''}`}
            style={{ top: (line - 1) * ROW }}
            onClick={() => onLine(line)}
          >
            <i>{edited.has(line) ? `✎ ${line}` : line}</i>
            {text}
          </div>
        );
      })}
    </Text>
  );
}
