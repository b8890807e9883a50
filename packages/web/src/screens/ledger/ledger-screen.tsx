import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { stages, type Stage } from '@mivvy/core';
import type { LedgerQuery } from '@mivvy/api';
import { ledgerAddress, useForgetView, useKeepView, useLedger, useLedgerViews } from '../../api/ledger.ts';
import { FoldingSwitch, foldingOf, type Folding } from '../../parts/foldings/folding-switch.tsx';
import { Failed } from '../../parts/notices.tsx';
import { stageWord } from '../../parts/stamp.tsx';
import { TopBar } from '../../parts/top-bar.tsx';
import { Grouping } from './grouping.tsx';
import { LedgerBoard } from './ledger-board.tsx';
import { LedgerCalendar } from './ledger-calendar.tsx';
import { LedgerList, pageRows } from './ledger-list.tsx';
import styles from './ledger.module.css';

const everything: LedgerQuery = { search: '', stages: [], order: 'due', descending: false };

/** Ways of looking that were kept: each is one press away. */
function Views({ query, onChoose }: { query: LedgerQuery; onChoose: (query: LedgerQuery) => void }) {
  const views = useLedgerViews();
  const keep = useKeepView();
  const forget = useForgetView();
  const [name, setName] = useState('');
  const now = views.data?.find((view) => JSON.stringify(view.query) === JSON.stringify(query));
  return (
    <div className={styles.views}>
      <button className="fix tall" onClick={() => onChoose(everything)}>
        Everything
      </button>
      {views.data?.map((view) => (
        <button
          key={view.id}
          className="fix tall"
          aria-pressed={view === now}
          onClick={() => onChoose(view.query)}
        >
          {view.name}
        </button>
      ))}
      {now ? (
        <button className="fix tall" onClick={() => forget.mutate(now.id)}>
          Forget “{now.name}”
        </button>
      ) : (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            if (name.trim()) keep.mutate({ name, query }, { onSuccess: () => setName('') });
          }}
        >
          <TextField
            size="small"
            placeholder="Keep this view as"
            value={name}
            onChange={(event) => setName(event.target.value)}
            slotProps={{ htmlInput: { 'aria-label': 'Keep this view as', maxLength: 60 } }}
          />
        </form>
      )}
    </div>
  );
}

/** Where deliverables are, each with how many: pressed ones are looked at. */
function StageFilter({
  counts,
  chosen,
  onChange,
}: {
  counts: Partial<Record<Stage, number>>;
  chosen: readonly Stage[];
  onChange: (stages: Stage[]) => void;
}) {
  return (
    <div className={styles.stages} role="group" aria-label="Standing">
      {stages
        .filter((stage) => counts[stage] || chosen.includes(stage))
        .map((stage) => {
          const on = chosen.includes(stage);
          return (
            <button
              key={stage}
              aria-pressed={on}
              onClick={() => onChange(on ? chosen.filter((other) => other !== stage) : [...chosen, stage])}
            >
              {stageWord(stage)} <b>{counts[stage] ?? 0}</b>
            </button>
          );
        })}
    </div>
  );
}

/** The ledger of all productions: every deliverable there is, found, sorted, and led to. */
export function LedgerScreen() {
  const [query, setQuery] = useState<LedgerQuery>(everything);
  const [page, setPage] = useState(0);
  /** Groups whose rows are put away, by their keys. */
  const [folded, setFolded] = useState<readonly string[]>([]);
  const [search, setSearch] = useSearchParams();
  const folding = foldingOf(search.get('as'));
  const fold = (as: Folding) => setSearch(as === 'list' ? {} : { as }, { replace: true });
  const ledger = useLedger(query, { from: page * pageRows, count: pageRows, folded });
  const look = (next: LedgerQuery) => {
    if (next.group !== query.group) setFolded([]);
    setQuery(next);
    setPage(0);
  };
  const change = (what: Partial<LedgerQuery>) => look({ ...query, ...what });
  const foldGroup = (key: string) => {
    setFolded(folded.includes(key) ? folded.filter((other) => other !== key) : [...folded, key]);
    setPage(0);
  };
  const address = ledgerAddress(query);
  return (
    <div className="desk">
      <TopBar where={<b>All deliverables</b>} />
      <main className={styles.screen}>
        <h1 className="sr">Ledger of all productions</h1>
        {ledger.isError ? (
          <Failed error={ledger.error} onRetry={() => void ledger.refetch()} />
        ) : (
          <>
            <div className={styles.head}>
              <TextField
                size="small"
                type="search"
                placeholder="Find by name, client, place, file or person"
                value={query.search}
                onChange={(event) => change({ search: event.target.value })}
                slotProps={{ htmlInput: { 'aria-label': 'Find', maxLength: 200 } }}
                sx={{ width: 330 }}
              />
              <Views query={query} onChoose={look} />
              <span className={styles.out}>
                <Button href={`/api/ledger.csv?${address}`} download>
                  As a table
                </Button>
                <Button href={`/api/due.ics?${address}`}>As a calendar</Button>
              </span>
            </div>
            <StageFilter
              counts={ledger.data?.counts ?? {}}
              chosen={query.stages}
              onChange={(chosen) => change({ stages: chosen })}
            />
            <div className={styles.fold}>
              <FoldingSwitch folding={folding} onFold={fold} />
              {folding === 'list' && (
                <Grouping
                  query={query}
                  groups={ledger.data?.groups ?? []}
                  folded={folded}
                  onChange={change}
                  onFold={setFolded}
                />
              )}
            </div>
            {folding === 'board' && (
              <div className={styles.folded}>
                <LedgerBoard
                  query={query}
                  counts={ledger.data?.counts ?? {}}
                  onStage={(stage) => {
                    change({ stages: [stage] });
                    fold('list');
                  }}
                />
              </div>
            )}
            {folding === 'calendar' && (
              <div className={styles.folded}>
                <LedgerCalendar
                  query={query}
                  onDay={(day) => {
                    change({ group: 'day', within: day });
                    fold('list');
                  }}
                />
              </div>
            )}
            {folding === 'list' && (
              <div className={styles.grid}>
                <LedgerList
                  page={ledger.data}
                  query={query}
                  at={page}
                  onPage={setPage}
                  onSort={change}
                  onFold={foldGroup}
                  onWithin={(within) => change({ within })}
                />
              </div>
            )}
          </>
        )}
      </main>
    </div>
  );
}
