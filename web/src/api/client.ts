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

async function ask(method: string, path: string, body?: unknown): Promise<Response> {
  const raw = body instanceof Blob;
  let res: Response;
  try {
    res = await fetch(path, {
      method,
      headers: body === undefined || raw ? undefined : { 'content-type': 'application/json' },
      body: body === undefined ? undefined : raw ? body : JSON.stringify(body),
    });
  } catch {
    throw new Refused(0, {
      error: 'offline',
      why: 'The server does not answer; is it running?',
      changed: null,
      seconds: null,
    });
  }
  if (res.ok) return res;
  let refusal: Refusal = {
    error: 'internal',
    why: `The server answered ${res.status}; try again`,
    changed: null,
    seconds: null,
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
