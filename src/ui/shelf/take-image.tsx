'use client';

import { useState } from 'react';
import { MOST_RETRIES, type SourceRef, type StorageState } from '@/contract';
import { call } from '@/store/api';
import { Button } from '../parts/controls';
import { Row, Select, TextField } from '../parts/fields';
import { Modal } from '../parts/modal';
import { PlaceRows, usableStorages } from '../parts/place-rows';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';

/** Times that what failed by itself is read once more. */
export function Retries({ value, onChange }: { value: number; onChange: (retries: number) => void }) {
  return (
    <Row name="Bad sectors" hint="Each takes the drive some seconds.">
      <span className="flex items-center gap-1.5">
        try
        <TextField
          label="Times that bad sectors are tried once more"
          type="number"
          min={0}
          max={MOST_RETRIES}
          value={value}
          onChange={(e) => {
            onChange(Math.max(0, Math.min(MOST_RETRIES, Math.round(Number(e.target.value) || 0))));
          }}
          className="w-14 text-right"
        />
        times more, from both sides
      </span>
    </Row>
  );
}

/** Asks how the image of a disc is to be taken. */
export function TakeImageDialog({
  disc,
  source,
  storages,
  onClose,
}: {
  disc: string;
  source: SourceRef;
  storages: readonly StorageState[];
  onClose: () => void;
}) {
  const usable = usableStorages(storages);
  const [storage, setStorage] = useState(usable[0]?.id ?? '');
  const [name, setName] = useState(disc);
  const [retries, setRetries] = useState(2);
  const [fill, setFill] = useState<'zeroes' | 'words'>('zeroes');
  const action = useAction();
  const begin = async () => {
    const isBegun = await action.run(() => call('takeImage', { body: { source, storage, name, fill, retries } }));
    if (isBegun) onClose();
  };
  return (
    <Modal
      title={`An image of ${disc}`}
      onClose={onClose}
      footer={
        <>
          <Button tone="quiet" onClick={onClose}>
            Cancel
          </Button>
          <Button tone="main" busy={action.busy} disabled={storage === '' || name.trim() === ''} onClick={() => void begin()}>
            Take the image
          </Button>
        </>
      }
    >
      <p className="pb-2 text-second">
        The whole disc, menus and all, bit for bit. What can be read well is read first; then bad places are narrowed down to the sector. It
        can be stopped and gone on with at any time, also from another copy of the same disc.
      </p>
      <PlaceRows
        what="image"
        hint="Stands in the folder “Disc images” of the library, with its map."
        name={name}
        onName={setName}
        storage={storage}
        storages={usable}
        onStorage={setStorage}
      />
      <Retries value={retries} onChange={setRetries} />
      <Row name="Unreadable" hint="Its map names every sector that was not read, whatever stands there.">
        <Select
          label="What stands in place of what can not be read"
          value={fill}
          options={[
            { value: 'zeroes', name: 'zeroes stand in its place' },
            { value: 'words', name: 'a text that says so stands in its place' },
          ]}
          onChange={setFill}
        />
      </Row>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </Modal>
  );
}
