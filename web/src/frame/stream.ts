import type { BenchPage, JobCard } from '../api/types';

/** What the house tells of its jobs: the newest of them where a stream begins, then each that changed, and the number of each that went. */
export interface Heard {
  bench?: (page: BenchPage) => void;
  card?: (card: JobCard) => void;
  gone?: (id: number) => void;
}
export const TOLD = ['bench', 'card', 'gone'] as const;

const listeners = new Set<Heard>();
let port: { hello: () => void; bye: () => void } | null = null;

function heard(name: string, data: string) {
  for (const l of listeners) {
    if (name === 'bench') l.bench?.(JSON.parse(data) as BenchPage);
    if (name === 'card') l.card?.(JSON.parse(data) as JobCard);
    if (name === 'gone') l.gone?.(Number(data));
  }
}

/** By the worker that all windows share; a browser without one has a stream for each window. */
function connect() {
  if (typeof SharedWorker !== 'undefined') {
    const worker = new SharedWorker(new URL('./stream.worker.ts', import.meta.url), {
      type: 'module',
      name: 'goldchip-stream',
    });
    worker.port.onmessage = (m: MessageEvent<{ name: string; data: string }>) => {
      heard(m.data.name, m.data.data);
    };
    worker.port.start();
    return {
      hello: () => {
        worker.port.postMessage('hello');
      },
      bye: () => {
        worker.port.postMessage('bye');
      },
    };
  }
  let source: EventSource | null = null;
  return {
    hello: () => {
      if (source) return;
      source = new EventSource('/api/events');
      for (const name of TOLD) {
        source.addEventListener(name, (e) => {
          heard(name, (e as MessageEvent<string>).data);
        });
      }
    },
    bye: () => {
      source?.close();
      source = null;
    },
  };
}

// A window that is closed or put away no longer listens; one that is taken out again does.
if (typeof window !== 'undefined') {
  window.addEventListener('pagehide', () => port?.bye());
  window.addEventListener('pageshow', () => {
    if (listeners.size > 0) port?.hello();
  });
}

/** Listen until the returned function is called. */
export function listen(l: Heard): () => void {
  port ??= connect();
  listeners.add(l);
  if (listeners.size === 1) port.hello();
  return () => {
    listeners.delete(l);
    if (listeners.size === 0) port?.bye();
  };
}
