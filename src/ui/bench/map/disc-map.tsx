'use client';

import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useState, type CSSProperties, type KeyboardEvent } from 'react';
import { layoutMap, type DiscMap as MapLayout, type MapStretch } from '@/core/findings';
import { takenOnLane, type Piece } from '@/core/reels';
import { damagedSegments } from '@/core/reading';
import type { DiscRecord, DraftReel } from '@/store/db';
import { bytes, plural } from '../../format';
import { Panel } from '../../parts/controls';
import { kindText } from '../../words';
import { useBench } from '../bench-context';
import { Axis, MapControls, type MapShape } from './map-head';
import { Lane, LooseLane, REPEATS } from './map-lanes';
import { folds, groupsOf, rowsOf, type ShownGroup } from './map-rows';
import { MapTable } from './map-table';
import { around } from './map-view';
import { NAMES_STYLE, useMapView } from './use-map-view';

const LANE_HEIGHT = 36;
const HEADING_HEIGHT = 28;
/** Header and ruler above the lanes, and the lane of what nothing leads to. */
const HEAD_HEIGHT = 64;
const LOOSE_HEIGHT = 64;
const NOTHING: readonly MapStretch[] = [];
const NAMES_ONLY = { '--names': NAMES_STYLE } as CSSProperties;

/** Where reels take something of each title, on its lane. */
function useTaken(disc: DiscRecord, reels: readonly DraftReel[], map: MapLayout): ReadonlyMap<number, readonly MapStretch[]> {
  return useMemo(() => {
    const pieces = new Map<number, Piece[]>();
    for (const piece of reels.flatMap((r) => r.reel.pieces)) pieces.set(piece.title, [...(pieces.get(piece.title) ?? []), piece]);
    const segments = new Map(disc.reading.segments.map((s) => [s.id, s]));
    const lanes = new Map(map.lanes.map((l) => [l.title, l]));
    return new Map(
      disc.reading.titles.flatMap((title) => {
        const own = pieces.get(title.number);
        const lane = lanes.get(title.number);
        return own && lane ? [[title.number, takenOnLane(title, own, segments, lane)] as const] : [];
      }),
    );
  }, [disc.reading, reels, map]);
}

function Heading({ group, isOpen, onTurn, style }: { group: ShownGroup; isOpen: boolean; onTurn: () => void; style: CSSProperties }) {
  return (
    <div role="presentation" className="smallcaps absolute inset-x-0 flex items-end gap-3 border-b border-faint px-3 pb-0.5" style={style}>
      <span aria-hidden>{group.name}</span>
      {folds(group) && (
        <button
          type="button"
          aria-expanded={isOpen}
          onClick={onTurn}
          className="text-[12px] tracking-normal text-accent normal-case underline-offset-2 hover:underline"
        >
          {isOpen ? 'hide them' : `show all ${group.titles.length}`}
        </button>
      )}
    </div>
  );
}

/** The lanes of the titles: only those that are seen are drawn. */
function Lanes({ map, mapView }: { map: MapLayout; mapView: ReturnType<typeof useMapView> }) {
  const { disc, reels, title: selected, selectTitle, stretch } = useBench();
  const { reading, findings } = disc;
  const { view, scroller } = mapView;
  const [unfolded, setUnfolded] = useState<readonly string[]>([]);
  const groups = useMemo(() => groupsOf(reading, findings), [reading, findings]);
  const rows = useMemo(() => rowsOf(groups, unfolded), [groups, unfolded]);
  const order = useMemo(() => rows.flatMap((r) => (r.kind === 'lane' ? [r.title.number] : [])), [rows]);
  const places = useMemo(() => new Map(order.map((number, i) => [number, i + 1])), [order]);
  const damaged = useMemo(() => damagedSegments(reading), [reading]);
  const found = useMemo(() => new Map(findings.titles.map((f) => [f.title, f])), [findings]);
  const lanes = useMemo(() => new Map(map.lanes.map((l) => [l.title, l])), [map]);
  const lettered = useMemo(() => findings.titles.some((f) => REPEATS.has(f.role) || f.role === 'cut'), [findings]);
  const taken = useTaken(disc, reels, map);
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => (rows[i]?.kind === 'heading' ? HEADING_HEIGHT : LANE_HEIGHT),
    overscan: 14,
  });
  const onKey = (event: KeyboardEvent) => {
    const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (step === 0) return;
    event.preventDefault();
    const next = order[Math.max(0, Math.min(order.length - 1, order.indexOf(selected?.number ?? -1) + step))];
    if (next === undefined) return;
    selectTitle(next);
    virtual.scrollToIndex(rows.findIndex((r) => r.kind === 'lane' && r.title.number === next));
    requestAnimationFrame(() => document.getElementById(`lane-${next}`)?.focus());
  };
  const turn = ({ name }: ShownGroup) => {
    setUnfolded(unfolded.includes(name) ? unfolded.filter((n) => n !== name) : [...unfolded, name]);
  };
  const style = { '--map-from': view.from, '--map-scale': 1 / (view.to - view.from) } as CSSProperties;
  return (
    <div ref={scroller} className="min-h-0 flex-1 overflow-y-auto" style={style}>
      <div
        role="listbox"
        aria-label="Titles"
        tabIndex={-1}
        onKeyDown={onKey}
        className="relative outline-none"
        style={{ height: virtual.getTotalSize() }}
      >
        {virtual.getVirtualItems().map((item) => {
          const row = rows[item.index];
          if (!row) return null;
          const position = { height: item.size, transform: `translateY(${item.start}px)` };
          if (row.kind === 'heading')
            return (
              <Heading
                key={row.group.name}
                group={row.group}
                isOpen={!folds(row.group) || unfolded.includes(row.group.name)}
                onTurn={() => {
                  turn(row.group);
                }}
                style={position}
              />
            );
          const { title } = row;
          return (
            <Lane
              key={title.number}
              title={title}
              finding={found.get(title.number)}
              lettered={lettered}
              lane={lanes.get(title.number)}
              selected={title.number === selected?.number}
              taken={taken.get(title.number) ?? NOTHING}
              damaged={damaged}
              tabbable={title.number === (selected?.number ?? order[0])}
              place={places.get(title.number) ?? 0}
              count={order.length}
              style={position}
              onSelect={selectTitle}
            />
          );
        })}
      </div>
      {map.loose.length > 0 && (
        <LooseLane loose={map.loose} shown={stretch?.id ?? null} labelled={!groups.some((g) => g.name === 'The rest')} />
      )}
    </div>
  );
}

/** The disc's own address space, one lane per title; the same material has the same hue and letter everywhere. As high as its lanes. */
export function DiscMap() {
  const { disc, reels, title, selectTitle, stretch, editing } = useBench();
  const { reading, findings } = disc;
  const [shape, setShape] = useState<MapShape>('place');
  const mapView = useMapView(shape);
  const axis = shape === 'time' ? 'time' : 'place';
  const map = useMemo(() => layoutMap(reading, findings, axis), [reading, findings, axis]);
  const [shown, setShown] = useState<typeof stretch>(null);
  if (stretch !== shown) {
    // It is looked at from so far that it can be seen where on the disc it is.
    setShown(stretch);
    const place = layoutMap(reading, findings, 'place').loose.find((l) => l.stretch.id === stretch?.id);
    if (place) {
      setShape('place');
      mapView.setView(around(place.from, place.to));
    }
  }
  useEffect(() => {
    if (stretch !== null) document.getElementById('loose-lane')?.scrollIntoView({ block: 'nearest' });
  }, [stretch, shape]);
  // Not with every moment that is looked at: a disc may have a thousand titles.
  const lanesHeight = useMemo(
    () => rowsOf(groupsOf(reading, findings), []).reduce((sum, r) => sum + (r.kind === 'heading' ? HEADING_HEIGHT : LANE_HEIGHT), 0),
    [reading, findings],
  );
  const height = HEAD_HEIGHT + lanesHeight + (map.loose.length > 0 ? LOOSE_HEIGHT : 0) + 4;
  return (
    <Panel
      label="Disc map"
      title="Disc map"
      // As high as its lanes where the reel is edited below it; else all there is.
      className={`@container ${editing === null ? 'flex-1' : 'min-h-[150px] shrink'}`}
      style={editing === null || shape === 'table' ? NAMES_ONLY : { ...NAMES_ONLY, flexBasis: height }}
      aside={
        <div className="flex min-w-0 flex-1 items-center justify-between gap-3 pl-2">
          <MapControls shape={shape} onShape={setShape} isWhole={mapView.view.to - mapView.view.from >= 1} {...mapView} />
          <span className="hidden truncate text-second @min-[620px]:inline">
            {plural(reading.titles.length, 'title')} · {kindText(reading)} · {bytes(reading.sizeBytes)}
          </span>
        </div>
      }
    >
      {shape === 'table' ? (
        <MapTable
          disc={disc}
          selected={title?.number ?? null}
          onSelect={selectTitle}
          taken={new Set(reels.flatMap((r) => r.reel.pieces.map((p) => p.title)))}
        />
      ) : (
        <>
          <div className="grid grid-cols-[var(--names)_minmax(0,1fr)] pr-4">
            <span />
            <Axis length={map.axisLength} unit={axis} view={mapView.view} />
          </div>
          <Lanes map={map} mapView={mapView} />
        </>
      )}
    </Panel>
  );
}
