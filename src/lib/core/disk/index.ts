export type * from './types';
export * from './kinds';
export * from './extent';
export * from './roles';
export * from './name';
export * from './usable';
export * from './typeNames';
export * from './hidden';
export * from './short';
