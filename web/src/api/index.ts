export * from './client';
export * from './queries';
export type * from './types';
