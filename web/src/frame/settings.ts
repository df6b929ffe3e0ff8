import { createContext, useContext, useEffect, useMemo, useState, useSyncExternalStore } from 'react';
import type { Units } from '../model/units';
import { inWordsOf, said } from '../model/words';

/** A small store: one value, those who listen. */
export class Store<T> {
  private listeners = new Set<() => void>();

  constructor(private value: T) {}

  get = () => this.value;

  set(value: T) {
    if (Object.is(value, this.value)) return;
    this.value = value;
    this.listeners.forEach((l) => l());
  }

  subscribe = (l: () => void) => {
    this.listeners.add(l);
    return () => void this.listeners.delete(l);
  };
}

export const useStore = <T>(s: Store<T>) => useSyncExternalStore(s.subscribe, s.get);

/** A value once it has rested for some milliseconds: while a slider moves nothing is asked of the server. */
export function useResting<T>(value: T, ms: number): T {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    const t = window.setTimeout(() => setRested(value), ms);
    return () => window.clearTimeout(t);
  }, [value, ms]);
  return rested;
}

export type ThemeName = 'desk' | 'machine';
const kept = localStorage.getItem('goldchip-theme');
const dark = window.matchMedia('(prefers-color-scheme: dark)').matches;
/** Of this person at this screen. */
export const themeName = new Store<ThemeName>(kept === 'desk' || kept === 'machine' ? kept : dark ? 'machine' : 'desk');
themeName.subscribe(() => localStorage.setItem('goldchip-theme', themeName.get()));

/** Unit of lengths: the job's where it has one, else the shop's. */
export const UnitsContext = createContext<Units>('mm');
export const useUnits = () => ({ units: useContext(UnitsContext) });

/** An answer of the server with its sentences in the unit of the screen. */
export const useInWords = <T>(units: Units, data: T): T => useMemo(() => inWordsOf(units, data), [units, data]);

/** Short messages at the foot of the page: what was done, what was refused. */
export interface Message {
  kind: 'done' | 'refused';
  text: string;
}
export const message = new Store<Message | null>(null);
let timer = 0;
export function tell(kind: Message['kind'], text: string) {
  message.set({ kind, text: said(text, 'mm') });
  window.clearTimeout(timer);
  timer = window.setTimeout(() => message.set(null), kind === 'done' ? 7000 : 12000);
}
export const refuse = (e: unknown) => tell('refused', e instanceof Error ? e.message : 'That did not work');
