import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import type { Stage } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { useRenameProduction } from '../../api/changes.ts';
import { useDeliverables } from '../../api/queries.ts';
import { ExportVersions } from '../../parts/export-versions.tsx';
import { FoldingSwitch, foldingOf } from '../../parts/foldings/folding-switch.tsx';
import { Empty, Failed, Loading } from '../../parts/notices.tsx';
import { EditableDay } from '../../parts/tracking/editable-day.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { Board } from './board.tsx';
import { Calendar } from './calendar.tsx';
import { CheckForeign } from './check-foreign.tsx';
import { ClearOld } from './clear-old.tsx';
import { Names } from './names.tsx';
import { Rows } from './rows.tsx';
import { ShowToClient } from './show-to-client.tsx';
import { Side } from './side.tsx';
import './deliverables.css';

/** How many deliverables are how far. */
function Counts({ versions }: { versions: readonly Version[] }) {
  const count = (...stages: Stage[]) => versions.filter((v) => stages.includes(v.stage)).length;
  const told = [
    { of: count('passed', 'approved', 'dispatched', 'live'), words: 'done', ink: 'moss' },
    { of: count('planned', 'framed', 'making'), words: 'to make', ink: 'teal' },
    { of: count('in-review'), words: 'with the client', ink: 'ink' },
    { of: count('behind', 'changes-asked'), words: 'to do again', ink: 'ochre' },
    { of: count('at-fault', 'failed', 'not-made'), words: 'at fault', ink: 'brick' },
  ];
  return (
    <>
      <span>
        <b>{versions.length}</b>deliverables
      </span>
      {told.map(({ of, words, ink }) =>
        of === 0 ? null : (
          <span key={words} style={{ color: `var(--${ink})` }}>
            <b>{of}</b>
            {words}
          </span>
        ),
      )}
    </>
  );
}

/** The day on which all of the production is due, where a version has none of its own. */
function ProductionDue() {
  const production = useThisProduction();
  const change = useRenameProduction(production.id);
  return (
    <span className="quiet">
      The production is due{' '}
      <EditableDay
        label="The production is due"
        value={production.dueOn}
        none="on no day"
        onChange={(dueOn) => change.mutate({ dueOn })}
      />
    </span>
  );
}

/** Deliverables: one ledger of everything owed, where it is, and the proof. */
export function DeliverablesScreen() {
  const production = useThisProduction();
  const { versions } = production;
  const { versionId } = useParams();
  const [search, setSearch] = useSearchParams();
  const [ticked, setTicked] = useState<ReadonlySet<string>>(new Set());
  const navigate = useNavigate();
  const query = useDeliverables(production.id);
  const folding = foldingOf(search.get('as'));
  const version =
    versions.find((v) => v.id === versionId) ?? versions.find((v) => v.deliverable) ?? versions[0];
  if (versions.length === 0)
    return (
      <Empty
        title="Nothing is owed yet"
        action={
          <Link className="fix tall" to={`/productions/${production.id}`}>
            Choose places on the proof sheet
          </Link>
        }
      >
        Each version becomes one file.
      </Empty>
    );
  if (query.isPending) return <Loading what="the deliverables" />;
  if (query.isError) return <Failed error={query.error} onRetry={() => void query.refetch()} />;
  const behind = versions.filter((v) => v.standing === 'behind');
  const choose = (v: Version) =>
    void navigate(
      { pathname: `/productions/${production.id}/deliverables/${v.id}`, search: search.toString() },
      { replace: true },
    );
  const tick = (ids: readonly string[], on: boolean) =>
    setTicked((before) => new Set([...before].filter((id) => !ids.includes(id)).concat(on ? ids : [])));
  const chosen = ticked.size > 0 ? versions.filter((v) => ticked.has(v.id)) : versions;
  return (
    <div className="ledger">
      <div className="main">
        <div className="counts">
          <Counts versions={versions} />
          {behind.length > 0 && (
            <span className="end">
              <ExportVersions variant="outlined" versions={behind}>
                Export what is behind ({behind.length})
              </ExportVersions>
            </span>
          )}
        </div>
        <div className="foldings">
          <FoldingSwitch
            folding={folding}
            onFold={(as) => setSearch(as === 'list' ? {} : { as }, { replace: true })}
          />
          <ProductionDue />
          <span className="end">
            <Names />
            <ShowToClient versions={chosen} />
            <Button variant="outlined" component={Link} to={`/productions/${production.id}/dispatch`}>
              Hand over
            </Button>
          </span>
        </div>
        {folding === 'board' ? (
          <Board chosen={version?.id} onChoose={choose} />
        ) : folding === 'calendar' ? (
          <Calendar chosen={version?.id} onChoose={choose} />
        ) : (
          <Rows chosen={version?.id} onChoose={choose} ticked={ticked} onTick={tick} />
        )}
        <p className="foot">
          <CheckForeign />
          <ClearOld />
        </p>
      </div>
      {version && (
        <Side
          version={version}
          master={production.masters.find((m) => m.id === version.masterId)}
          made={query.data.filter((d) => d.versionId === version.id)}
        />
      )}
    </div>
  );
}
