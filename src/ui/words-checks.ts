import type { CheckResult } from '@/contract';
import type { State } from './parts/controls';

export const CHECKED: Readonly<Record<CheckResult, string>> = {
  same: 'still what it was',
  changed: 'changed',
  missing: 'missing',
  'sidecar changed': 'its sidecar was changed',
  unreadable: 'can not be read',
};
export const CHECK_MARK: Readonly<Record<CheckResult, State>> = {
  same: 'kept',
  changed: 'damaged',
  missing: 'damaged',
  'sidecar changed': 'eyes',
  unreadable: 'damaged',
};
