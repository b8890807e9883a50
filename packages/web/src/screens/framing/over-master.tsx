import type { CSSProperties } from 'react';
import type { MasterRect, Size } from '@mivvy/core';
import type { Version } from '@mivvy/api';

/** A version's window over the master. */
export interface OverWindow {
  version: Version;
  window: MasterRect;
}

/** Where a rectangle of the master lies over its picture, as style. */
export function placeOver(rect: MasterRect, master: Size): CSSProperties {
  const percent = (n: number, of: number) => `${(n / of) * 100}%`;
  return { left: percent(rect.x, master.width), top: percent(rect.y, master.height), width: percent(rect.width, master.width), height: percent(rect.height, master.height) };
}

/** Line patterns and tag corners, taken in turn, so that windows are told apart before any colour is. */
const patterns = ['dashed', 'dotted', 'double'] as const;
const corners: readonly CSSProperties[] = [{ top: 0, right: 0 }, { bottom: 0, left: 0 }, { bottom: 0, right: 0 }, { top: 0, left: '50%' }, { bottom: 0, left: '50%' }];

/** The windows of other versions, and the area that all of them show, drawn over the master. */
export function OverMaster({ others, common, master }: { others: readonly OverWindow[]; common: MasterRect | null; master: Size }) {
  return (
    <>
      {common && others.length > 0 && <div className="common" style={placeOver(common, master)} data-testid="common-area" />}
      {others.map(({ version, window }, i) => (
        <div key={version.id} className="other" style={{ ...placeOver(window, master), outlineStyle: patterns[i % patterns.length] }}>
          <span className="tag" style={corners[i % corners.length]}>{version.tag}</span>
        </div>
      ))}
    </>
  );
}

/** Which versions' windows are drawn over the master: each by its letter, all, or none. */
export function WindowChoice({ siblings, shown, onChange }: { siblings: readonly Version[]; shown: readonly string[]; onChange: (ids: string[]) => void }) {
  if (siblings.length === 0) return null;
  return (
    <>
      <h3>Over the master</h3>
      <p>
        Also the windows of{' '}
        {siblings.map((v) => (
          <button key={v.id} className="letterswitch" aria-pressed={shown.includes(v.id)} aria-label={`Window of ${v.tag}`} onClick={() => onChange(shown.includes(v.id) ? shown.filter((id) => id !== v.id) : [...shown, v.id])}>{v.tag}</button>
        ))}
        {' '}<button className="fix" onClick={() => onChange(shown.length ? [] : siblings.map((v) => v.id))}>{shown.length ? 'none' : 'all'}</button>
      </p>
    </>
  );
}
