export * from './api';
export * from './job';
export * from './problem';
export { FindingsSchema, ReadingSchema } from './reading';
export * from './routes';
export * from './rules';
export * from './exchange';
export type { FromDropped, ToDropped } from './dropped';
export * from './helper';
