import type { CSSProperties } from 'react';
import { keepAt, type Keep, type MasterRect, type Size } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { Choice } from '../../parts/choice.tsx';
import type { MasterLook } from './use-master-look.ts';
import { joined } from '../../parts/joined.ts';

/** A version's window over the master. */
export interface OverWindow {
  version: Version;
  window: MasterRect;
}

/** Where a rectangle of the master lies over its picture, as style. */
export function placeOver(rect: MasterRect, masterSize: Size): CSSProperties {
  const percent = (n: number, of: number) => `${(n / of) * 100}%`;
  return {
    left: percent(rect.x, masterSize.width),
    top: percent(rect.y, masterSize.height),
    width: percent(rect.width, masterSize.width),
    height: percent(rect.height, masterSize.height),
  };
}

/** Line patterns and tag corners, taken in turn, so that windows are told apart before any colour is. */
const patterns = ['dashed', 'dotted', 'double'] as const;
const corners: readonly CSSProperties[] = [
  { top: 0, right: 0 },
  { bottom: 0, left: 0 },
  { bottom: 0, right: 0 },
  { top: 0, left: '50%' },
  { bottom: 0, left: '50%' },
];

/** The windows of other versions, and the area that all of them show, drawn over the master. */
export function OverMaster({
  others,
  common,
  masterSize: master,
  look,
}: {
  others: readonly OverWindow[];
  common: MasterRect | null;
  masterSize: Size;
  look: MasterLook;
}) {
  return (
    <>
      {common && others.length > 0 && (
        <div className="common" style={placeOver(common, master)} data-testid="common-area" />
      )}
      {others.map(({ version, window }, i) => (
        <div
          key={version.id}
          className="other"
          style={{
            ...placeOver(window, master),
            outlineStyle: patterns[i % patterns.length],
            outlineWidth: look.line,
            outlineColor: look.colour,
          }}
        >
          <span className="tag" style={corners[i % corners.length]}>
            {version.tag}
          </span>
        </div>
      ))}
    </>
  );
}

/** Everything outside of some windows dimmed. */
export function Dimmed({
  windows,
  masterSize: master,
  strength,
}: {
  windows: readonly MasterRect[];
  masterSize: Size;
  strength: number;
}) {
  const hole = (w: MasterRect) => `M${w.x} ${w.y}h${w.width}v${w.height}h${-w.width}z`;
  return (
    <svg
      className="dimmed"
      viewBox={`0 0 ${master.width} ${master.height}`}
      preserveAspectRatio="none"
      aria-hidden
    >
      <path
        fillRule="evenodd"
        fill={`rgba(18,18,18,${strength})`}
        d={`M0 0h${master.width}v${master.height}h${-master.width}z${windows.map(hole).join('')}`}
      />
    </svg>
  );
}

/** What must stay visible at this frame, as corners with a name. */
export function KeepMarks({ keeps, frame }: { keeps: readonly Keep[]; frame: number }) {
  return (
    <>
      {keeps
        .filter((k) => frame >= k.span.from && frame < k.span.to)
        .map((k) => {
          const r = keepAt(k, frame);
          return (
            <div
              key={k.id}
              className="keepmark"
              style={{
                left: `${r.x * 100}%`,
                top: `${r.y * 100}%`,
                width: `${r.width * 100}%`,
                height: `${r.height * 100}%`,
              }}
            >
              <span>{k.name}</span>
            </div>
          );
        })}
    </>
  );
}

/** Which versions' windows are drawn over the master, each by its letter, and how. */
export function WindowChoice({
  siblings,
  shown,
  onChange,
  look,
  onLook,
}: {
  siblings: readonly Version[];
  shown: readonly string[];
  onChange: (ids: string[]) => void;
  look: MasterLook;
  onLook: (change: Partial<MasterLook>) => void;
}) {
  const dims = [
    { value: '0', name: 'not at all' },
    { value: '0.3', name: 'a little' },
    { value: '0.55', name: 'by half' },
    { value: '0.8', name: 'strongly' },
    { value: '1', name: 'to black' },
  ] as const;
  const lines = [
    { value: '1.5', name: 'thin' },
    { value: '2.5', name: 'medium' },
    { value: '4', name: 'thick' },
  ] as const;
  const colours = [
    { value: '#ffffff', name: 'white' },
    { value: '#ffd98a', name: 'straw' },
    { value: '#7fe0e8', name: 'aqua' },
    { value: '#111111', name: 'black' },
  ] as const;
  const named = (list: readonly { value: string; name: string }[], value: string) =>
    list.find((o) => o.value === value)?.name ?? value;
  return (
    <>
      <h3>Over the master</h3>
      <p>
        {siblings.length > 0 && (
          <>
            Also the windows of{' '}
            {siblings.map((v) => (
              <button
                key={v.id}
                className="letterswitch"
                aria-pressed={shown.includes(v.id)}
                aria-label={`Window of ${v.tag}`}
                onClick={() =>
                  onChange(shown.includes(v.id) ? shown.filter((id) => id !== v.id) : [...shown, v.id])
                }
              >
                {v.tag}
              </button>
            ))}{' '}
            <button className="fix" onClick={() => onChange(shown.length ? [] : siblings.map((v) => v.id))}>
              {shown.length ? 'none' : 'all'}
            </button>
            {joined}.{' '}
          </>
        )}
        The rest is dimmed{' '}
        <Choice
          label="Dimming"
          value={String(look.dim)}
          shown={named(dims, String(look.dim))}
          options={dims}
          onChange={(v) => onLook({ dim: Number(v) })}
        />
        , lines are{' '}
        <Choice
          label="Line weight"
          value={String(look.line)}
          shown={named(lines, String(look.line))}
          options={lines}
          onChange={(v) => onLook({ line: Number(v) })}
        />{' '}
        and{' '}
        <Choice
          label="Line colour"
          value={look.colour}
          shown={named(colours, look.colour)}
          options={colours}
          onChange={(v) => onLook({ colour: v })}
        />
        .
      </p>
    </>
  );
}
