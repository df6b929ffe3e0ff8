import { describe, expect, it, vi } from 'vitest';
import type { JobCard } from '../api/types';

const card = (id: number, title = `Job ${id}`): JobCard => ({
  id,
  title,
  file: 'x.step',
  archived: false,
  made_at: '',
  revision: 0,
  work: { kind: 'waiting' },
  summary: null,
});

describe('a browser without a shared worker', () => {
  it('has one stream a window, however many listen, and none when nobody does', async () => {
    const made: FakeSource[] = [];
    class FakeSource {
      closed = false;
      added = 0;
      on = new Map<string, (e: { data: string }) => void>();
      constructor(public url: string) {
        made.push(this);
      }
      addEventListener(name: string, f: (e: { data: string }) => void) {
        this.added += 1;
        this.on.set(name, f);
      }
      close() {
        this.closed = true;
      }
    }
    vi.stubGlobal('EventSource', FakeSource);
    vi.stubGlobal('SharedWorker', undefined);
    const page = new EventTarget();
    vi.stubGlobal('window', page);
    vi.resetModules();
    const { listen } = await import('./stream');
    const got: string[] = [];
    const off = [
      listen({ card: (c) => got.push(`a${c.id}`) }),
      listen({
        card: (c) => got.push(`b${c.id}`),
        bench: (l) => got.push(`all ${l.jobs.length}`),
        gone: (id) => got.push(`gone ${id}`),
      }),
    ];
    // Shown again, it listens as before: once.
    page.dispatchEvent(new Event('pageshow'));
    expect(made).toHaveLength(1);
    expect(made[0]?.added).toBe(3);
    made[0]?.on.get('bench')?.({ data: JSON.stringify({ jobs: [card(1), card(2)], more: false, archived: 0 }) });
    made[0]?.on.get('card')?.({ data: JSON.stringify(card(4)) });
    made[0]?.on.get('gone')?.({ data: '4' });
    expect(got).toEqual(['all 2', 'a4', 'b4', 'gone 4']);
    off[0]?.();
    expect(made[0]?.closed).toBe(false);
    page.dispatchEvent(new Event('pagehide'));
    expect(made[0]?.closed).toBe(true);
    page.dispatchEvent(new Event('pageshow'));
    expect(made).toHaveLength(2);
    off[1]?.();
    expect(made[1]?.closed).toBe(true);
    listen({})();
    expect(made).toHaveLength(3);
    vi.unstubAllGlobals();
  });
});
