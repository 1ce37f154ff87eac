'use client';

import type { StorageState } from '@/contract';
import { bytes } from '../format';
import { Row, Select, TextField } from './fields';

/** Libraries that something can be put into now. */
export const usableStorages = (storages: readonly StorageState[]): StorageState[] =>
  storages.filter((s) => s.identity === 'known' && s.writable);

/** What something is called, and the library that it goes to. */
export function PlaceRows({
  what,
  hint,
  name,
  onName,
  storage,
  storages,
  onStorage,
}: {
  /** For who hears the fields instead of seeing them. */
  what: string;
  /** Where it will stand. */
  hint: string;
  name: string;
  onName: (name: string) => void;
  storage: string;
  storages: readonly StorageState[];
  onStorage: (storage: string) => void;
}) {
  return (
    <>
      <Row name="Name" hint={hint}>
        <TextField
          label={`Name of the ${what}`}
          value={name}
          onChange={(e) => {
            onName(e.target.value);
          }}
        />
      </Row>
      <Row name="Library">
        <Select
          label={`Library storage of the ${what}`}
          value={storage}
          options={storages.map((s) => ({ value: s.id, name: `${s.name}${s.freeBytes === null ? '' : `, ${bytes(s.freeBytes)} free`}` }))}
          onChange={onStorage}
        />
      </Row>
    </>
  );
}
