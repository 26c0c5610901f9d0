export * from '../history';
export * from './place';
export * from './draft';
export { startFrom, type StartingPoint } from './starts';
