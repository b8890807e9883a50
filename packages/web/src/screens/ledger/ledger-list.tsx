import {
  DataGrid,
  type GridColDef,
  type GridPaginationModel,
  type GridRenderCellParams,
} from '@mui/x-data-grid';
import { useMemo } from 'react';
import { Link, useNavigate } from 'react-router';
import { countWords, happeningInShort, happeningWords, waitsFor } from '@mivvy/core';
import type { LedgerQuery, LedgerRow } from '@mivvy/api';
import type { LedgerAnswer } from '../../api/ledger.ts';
import { dayWords, isLate, momentWords } from '../../parts/days.ts';
import { StageStamp } from '../../parts/stamp.tsx';
import { GroupHead, ListOfHeadsContext, type ListOfHeads } from './group-head.tsx';
import { isHead, withHeads, type ListEntry } from './group-rows.ts';
import styles from './ledger.module.css';

/** So many rows are asked for at a time. */
export const pageRows = 100;
const [rowHeight, headHeight] = [50, 38];

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
/** What is shown of a deliverable. */
const columnsOfRows: GridColDef<LedgerRow>[] = [
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

/** The same, where a group's head takes the width of all of them. */
const columns = columnsOfRows.map((column, i): GridColDef<ListEntry> => {
  const { renderCell, valueGetter, ...rest } = column as GridColDef<ListEntry>;
  return {
    ...rest,
    ...(i === 0 ? { colSpan: (_value, entry) => (isHead(entry) ? columnsOfRows.length : 1) } : {}),
    ...(valueGetter
      ? { valueGetter: (value, entry, ...more) => (isHead(entry) ? '' : valueGetter(value, entry, ...more)) }
      : {}),
    ...(renderCell
      ? {
          renderCell: (cell) =>
            isHead(cell.row) ? i === 0 && <GroupHead entry={cell.row} /> : renderCell(cell),
        }
      : {}),
  };
});

const idOf = (entry: ListEntry) => (isHead(entry) ? `group ${entry.group.key}` : entry.versionId);

/** Deliverables as rows, those of a group below its head; a head folds its rows away. */
export function LedgerList({
  page,
  query,
  at,
  onPage,
  onSort,
  onFold,
  onWithin,
}: {
  page: LedgerAnswer | undefined;
  query: LedgerQuery;
  /** Which page is looked at, from 0. */
  at: number;
  onPage: (at: number) => void;
  onSort: (what: Pick<LedgerQuery, 'order' | 'descending'>) => void;
} & Pick<ListOfHeads, 'onFold' | 'onWithin'>) {
  const navigate = useNavigate();
  const { group: grouping, within } = query;
  const entries = useMemo(() => (page ? withHeads(page, within) : []), [page, within]);
  const field = Object.entries(orders).find(([, order]) => order === query.order)?.[0];
  return (
    <ListOfHeadsContext value={{ grouping, within, onFold, onWithin }}>
      <DataGrid
        rows={entries}
        getRowId={idOf}
        columns={columns}
        loading={page === undefined}
        getRowHeight={({ model }) => (isHead(model as ListEntry) ? headHeight : rowHeight)}
        getRowClassName={({ row }) => (isHead(row) ? styles.groupRow! : '')}
        columnHeaderHeight={36}
        disableColumnMenu
        disableRowSelectionOnClick
        paginationMode="server"
        sortingMode="server"
        rowCount={page?.total ?? 0}
        pageSizeOptions={[pageRows]}
        paginationModel={{ page: at, pageSize: pageRows }}
        onPaginationModelChange={(model: GridPaginationModel) => onPage(model.page)}
        sortModel={field ? [{ field, sort: query.descending ? 'desc' : 'asc' }] : []}
        onSortModelChange={([sort]) =>
          onSort({
            order: sort ? (orders[sort.field] ?? 'due') : 'due',
            descending: sort?.sort === 'desc',
          })
        }
        onRowDoubleClick={({ row }: { row: ListEntry }) =>
          isHead(row)
            ? undefined
            : void navigate(`/productions/${row.productionId}/deliverables/${row.versionId}`)
        }
        localeText={{ noRowsLabel: 'No deliverable is like that.' }}
        aria-label="Deliverables"
      />
    </ListOfHeadsContext>
  );
}
