/** Requests to our own server. Every refusal comes as a sentence that says what to do. */
import type { Refusal } from './types';

export class Refused extends Error {
  constructor(
    readonly status: number,
    readonly refusal: Refusal,
  ) {
    super(refusal.why);
  }
}

/** So often something is sent again while the server or its database is away, and so long it is waited between, ms. */
const AGAIN = [300, 700, 1500, 2500, 4000, 5000, 5000];

/** A word that nobody else has for what is sent. `randomUUID` is there with https only. */
function word(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (b) => b.toString(16).padStart(2, '0')).join('');
}

/** It may be on its way back: nothing answers, or it says so. */
export const away = (e: unknown) =>
  e instanceof Refused && (e.status === 0 || e.refusal.error === 'away' || e.refusal.error === 'again');

async function ask(method: string, path: string, body?: unknown, once?: string): Promise<Response> {
  const raw = body instanceof Blob;
  let res: Response;
  try {
    res = await fetch(path, {
      method,
      headers: {
        ...(body === undefined || raw ? {} : { 'content-type': 'application/json' }),
        ...(once ? { 'idempotency-key': once } : {}),
      },
      body: body === undefined ? undefined : raw ? body : JSON.stringify(body),
    });
  } catch {
    throw new Refused(0, {
      error: 'offline',
      why: 'The server does not answer; is it running?',
      changed: null,
      seconds: null,
      id: null,
    });
  }
  if (res.ok) return res;
  let refusal: Refusal = {
    error: 'internal',
    why: `The server answered ${res.status}; try again`,
    changed: null,
    seconds: null,
    id: null,
  };
  try {
    refusal = (await res.json()) as Refusal;
  } catch {
    // Not our own words: the sentence above stands.
  }
  throw new Refused(res.status, refusal);
}

export const api = {
  get: async <T>(path: string) => (await (await ask('GET', path)).json()) as T,
  bytes: async (path: string) => (await ask('GET', path)).arrayBuffer(),
  post: async <T>(path: string, body?: unknown) => (await (await ask('POST', path, body)).json()) as T,
  act: async (method: 'POST' | 'PATCH' | 'DELETE', path: string, body?: unknown) =>
    void (await ask(method, path, body)),
  /** Something that is made once, however often it has to be sent: while the server is away it waits and is sent again. */
  once: async (path: string, body: unknown, waits: () => void) => {
    const mine = word();
    for (const pause of AGAIN) {
      try {
        return void (await ask('POST', path, body, mine));
      } catch (e) {
        if (!away(e)) throw e;
        waits();
        await new Promise((r) => setTimeout(r, pause));
      }
    }
    await ask('POST', path, body, mine);
  },
  /** Take a file that the server hands out under its name. */
  take: async (method: 'GET' | 'POST', path: string) => {
    const res = await ask(method, path);
    const name = /filename="?([^";]+)/.exec(res.headers.get('content-disposition') ?? '')?.[1] ?? 'program.ngc';
    const url = URL.createObjectURL(await res.blob());
    const a = document.createElement('a');
    a.href = url;
    a.download = name;
    a.click();
    setTimeout(() => URL.revokeObjectURL(url), 10_000);
    return name;
  },
};
