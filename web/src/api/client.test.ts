import { afterEach, describe, expect, it, vi } from 'vitest';
import { api, Refused } from './client';

const json = (status: number, body: unknown) => new Response(JSON.stringify(body), { status });
const refusal = (error: string) => ({ error, why: error, changed: null, seconds: null, id: null });

describe('what is made once', () => {
  afterEach(() => {
    vi.unstubAllGlobals();
    vi.useRealTimers();
  });

  it('is sent again under the same word while the server is away', async () => {
    vi.useFakeTimers();
    const answers = [
      () => Promise.reject(new TypeError('gone')),
      () => json(503, refusal('away')),
      () => json(200, {}),
    ];
    const words: string[] = [];
    vi.stubGlobal('fetch', (_: string, init: RequestInit) => {
      words.push((init.headers as Record<string, string>)['idempotency-key'] ?? '');
      return Promise.resolve(answers[words.length - 1]?.());
    });
    const waits = vi.fn();
    const done = api.once('/api/x', { a: 1 }, waits);
    await vi.runAllTimersAsync();
    await done;
    expect(words).toHaveLength(3);
    expect(new Set(words).size).toBe(1);
    expect(words[0]).toMatch(/^[0-9a-f]{32}$/);
    expect(waits).toHaveBeenCalledTimes(2);
  });

  it('is not sent again where it was refused', async () => {
    const asked = vi.fn(() => Promise.resolve(json(409, refusal('conflict'))));
    vi.stubGlobal('fetch', asked);
    await expect(api.once('/api/x', {}, () => undefined)).rejects.toBeInstanceOf(Refused);
    expect(asked).toHaveBeenCalledTimes(1);
  });

  it('is given up in the end, in words', async () => {
    vi.useFakeTimers();
    const asked = vi.fn(() => Promise.resolve(json(503, refusal('away'))));
    vi.stubGlobal('fetch', asked);
    const done = expect(api.once('/api/x', {}, () => undefined)).rejects.toThrow('away');
    await vi.runAllTimersAsync();
    await done;
    expect(asked).toHaveBeenCalledTimes(8);
  });
});
