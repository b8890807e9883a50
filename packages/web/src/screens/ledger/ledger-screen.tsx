import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import {
  DataGrid,
  type GridColDef,
  type GridPaginationModel,
  type GridRenderCellParams,
  type GridSortModel,
} from '@mui/x-data-grid';
import { useMemo, useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import { countWords, happeningInShort, happeningWords, stages, waitsFor, type Stage } from '@mivvy/core';
import type { LedgerPage, LedgerQuery, LedgerRow } from '@mivvy/api';
import { ledgerAddress, useForgetView, useKeepView, useLedger, useLedgerViews } from '../../api/ledger.ts';
import { Choice } from '../../parts/choice.tsx';
import { dayWords, isLate, momentWords } from '../../parts/days.ts';
import { FoldingSwitch, foldingOf, type Folding } from '../../parts/foldings/folding-switch.tsx';
import { Failed } from '../../parts/notices.tsx';
import { StageStamp, stageWord } from '../../parts/stamp.tsx';
import { TopBar } from '../../parts/top-bar.tsx';
import { LedgerBoard } from './ledger-board.tsx';
import { LedgerCalendar } from './ledger-calendar.tsx';
import styles from './ledger.module.css';

const everything: LedgerQuery = { search: '', stages: [], order: 'due', descending: false };
/** So many groups are named above the rows; the others are found by scrolling or by words. */
const mostGroups = 12;
/** So many rows are asked for at a time. */
const pageRows = 100;

/** The grid's columns that can be sorted by, and what the ledger calls that. */
const orders: Readonly<Record<string, LedgerQuery['order']>> = {
  placement: 'name',
  production: 'production',
  stage: 'stage',
  dueOn: 'due',
  holder: 'holder',
  last: 'last',
};

type Cell = GridRenderCellParams<LedgerRow>;
const columns: GridColDef<LedgerRow>[] = [
  {
    field: 'placement',
    headerName: 'Deliverable',
    flex: 1.1,
    minWidth: 170,
    renderCell: ({ row }: Cell) => (
      <Link className={styles.name} to={`/productions/${row.productionId}/deliverables/${row.versionId}`}>
        <b>
          {row.outlet} {row.placement.toLowerCase()}
        </b>
        <small>
          {row.master}
          {row.cut && `, “${row.cut}”`}
        </small>
      </Link>
    ),
  },
  {
    field: 'production',
    headerName: 'Production',
    flex: 1,
    minWidth: 150,
    renderCell: ({ row }: Cell) => (
      <span className={styles.name}>
        {row.production}
        <small>{row.client}</small>
      </span>
    ),
  },
  {
    field: 'stage',
    headerName: 'Standing',
    width: 148,
    renderCell: ({ row }: Cell) => <StageStamp stage={row.stage} />,
  },
  {
    field: 'waits',
    headerName: 'Waits for',
    flex: 1,
    minWidth: 140,
    sortable: false,
    valueGetter: (_value, row) =>
      row.openNotes > 0 ? `${countWords(row.openNotes, 'note')} to be seen to` : waitsFor[row.stage],
  },
  {
    field: 'dueOn',
    headerName: 'Due',
    width: 84,
    renderCell: ({ row }: Cell) =>
      row.dueOn ? (
        <span className={isLate(row.dueOn) && row.stage !== 'live' ? styles.late : ''}>
          {dayWords(row.dueOn)}
        </span>
      ) : (
        <span className="quiet">–</span>
      ),
  },
  { field: 'holder', headerName: 'Has it', width: 96 },
  {
    field: 'last',
    headerName: 'Last',
    flex: 1.4,
    minWidth: 180,
    renderCell: ({ row }: Cell) =>
      row.last && (
        <span className={styles.name} title={happeningWords(row.last.what)}>
          {happeningInShort(row.last.what)}
          <small>
            {momentWords(row.last.at)}
            {row.last.by && `, ${row.last.by}`}
          </small>
        </span>
      ),
  },
];

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

type Grouping = NonNullable<LedgerQuery['group']>;
const groupings: Readonly<Record<Grouping | 'none', string>> = {
  none: 'in one list',
  production: 'by production',
  outlet: 'by outlet',
  holder: 'by who has it',
  day: 'by the day it is due',
};
/** What a row's group is told by. */
const groupOf: Readonly<Record<Grouping, (row: LedgerRow) => string>> = {
  production: (row) => row.productionId,
  outlet: (row) => row.outlet,
  holder: (row) => row.holder,
  day: (row) => row.dueOn ?? '',
};
const withoutOne: Readonly<Record<Grouping, string>> = {
  production: '',
  outlet: 'an outlet that is gone',
  holder: 'nobody',
  day: 'no day',
};

/** How rows are put together, and the groups there are, each with how many: a pressed one is looked at alone. */
function Groups({
  query,
  groups,
  onChange,
}: {
  query: LedgerQuery;
  groups: LedgerPage['groups'];
  onChange: (what: Pick<LedgerQuery, 'group' | 'within'>) => void;
}) {
  const { group, within } = query;
  const nameOf = (name: string) =>
    group === undefined || name === ''
      ? withoutOne[group ?? 'production']
      : group === 'day'
        ? dayWords(name)
        : name;
  return (
    <div className={styles.stages} role="group" aria-label="Groups">
      <span>
        Shown{' '}
        <Choice
          label="How deliverables are put together"
          value={group ?? 'none'}
          shown={groupings[group ?? 'none']}
          options={Object.entries(groupings).map(([value, name]) => ({
            value: value as Grouping | 'none',
            name,
          }))}
          onChange={(next) => onChange({ group: next === 'none' ? undefined : next, within: undefined })}
        />
      </span>
      {groups.slice(0, mostGroups).map(({ key, name, count }) => (
        <button
          key={key}
          aria-pressed={within === key}
          onClick={() => onChange({ group, within: within === key ? undefined : key })}
        >
          {nameOf(name)} <b>{count}</b>
        </button>
      ))}
      {groups.length > mostGroups && <span className="quiet">and {groups.length - mostGroups} more</span>}
    </div>
  );
}

/** The ledger of all productions: every deliverable there is, found, sorted, and led to. */
export function LedgerScreen() {
  const [query, setQuery] = useState<LedgerQuery>(everything);
  const [page, setPage] = useState(0);
  const navigate = useNavigate();
  const [search, setSearch] = useSearchParams();
  const folding = foldingOf(search.get('as'));
  const fold = (as: Folding) => setSearch(as === 'list' ? {} : { as }, { replace: true });
  const ledger = useLedger(query, { from: page * pageRows, count: pageRows });
  const change = (what: Partial<LedgerQuery>) => {
    setQuery({ ...query, ...what });
    setPage(0);
  };
  const sorted = useMemo<GridSortModel>(() => {
    const field = Object.entries(orders).find(([, order]) => order === query.order)?.[0];
    return field ? [{ field, sort: query.descending ? 'desc' : 'asc' }] : [];
  }, [query.order, query.descending]);
  /** The rows with which a group begins. */
  const starts = useMemo(() => {
    const rows = ledger.data?.rows ?? [];
    const of = query.group && groupOf[query.group];
    const firsts = of ? rows.filter((row, i) => i > 0 && of(row) !== of(rows[i - 1]!)) : [];
    return new Set(firsts.map((row) => row.versionId));
  }, [ledger.data, query.group]);
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
              <Views
                query={query}
                onChoose={(next) => {
                  setQuery(next);
                  setPage(0);
                }}
              />
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
                <Groups query={query} groups={ledger.data?.groups ?? []} onChange={change} />
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
                <DataGrid
                  rows={ledger.data?.rows ?? []}
                  getRowId={(row) => row.versionId}
                  columns={columns}
                  loading={ledger.isPending}
                  getRowClassName={({ id }) => (starts.has(String(id)) ? styles.groupStart! : '')}
                  rowHeight={50}
                  columnHeaderHeight={36}
                  disableColumnMenu
                  disableRowSelectionOnClick
                  paginationMode="server"
                  sortingMode="server"
                  rowCount={ledger.data?.total ?? 0}
                  pageSizeOptions={[pageRows]}
                  paginationModel={{ page, pageSize: pageRows }}
                  onPaginationModelChange={(model: GridPaginationModel) => setPage(model.page)}
                  sortModel={sorted}
                  onSortModelChange={([sort]) =>
                    change({
                      order: sort ? (orders[sort.field] ?? 'due') : 'due',
                      descending: sort?.sort === 'desc',
                    })
                  }
                  onRowDoubleClick={({ row }: { row: LedgerRow }) =>
                    void navigate(`/productions/${row.productionId}/deliverables/${row.versionId}`)
                  }
                  localeText={{ noRowsLabel: 'No deliverable is like that.' }}
                  aria-label="Deliverables"
                />
              </div>
            )}
          </>
        )}
      </main>
    </div>
  );
}
