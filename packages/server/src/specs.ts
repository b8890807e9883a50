import { mkdir, readdir, readFile, rename } from 'node:fs/promises';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { and, asc, eq, isNull, sql } from 'drizzle-orm';
import {
  bookChanges,
  fail,
  movedPlacement,
  ok,
  placementDifferences,
  readSpecBook,
  revisionInForce,
  revisionsToCome,
  unmeetableIn,
  type BookChange,
  type Outlet,
  type PlacedOutlet,
  type Placement,
  type PlacementRevision,
  type Problem,
  type Result,
  type SpecBook,
} from '@mivvy/core';
import type { Database, Writer } from './db/database.ts';
import { outlets, placementRevisions, placements, type versions } from './db/schema.ts';

const ending = '.specbook.json';
const starterFile = fileURLToPath(new URL('../../core/data/starter.specbook.json', import.meta.url));

/** Who changes the book, and why. */
export interface Authored {
  by: string;
  reason: string;
}

/** A placement with everything that is known of it. */
export interface PlacementPage {
  outlet: Pick<Outlet, 'id' | 'name'>;
  retiredOn: string | null;
  checkedOn: string | null;
  checkedBy: string | null;
  evidence: string | null;
  /** From the first on. */
  revisions: PlacementRevision[];
}

/** A day, as people at this machine count them. */
export function dayOf(time: Date): string {
  const two = (n: number) => String(n).padStart(2, '0');
  return `${time.getFullYear()}-${two(time.getMonth() + 1)}-${two(time.getDate())}`;
}

type Versioned = Pick<typeof versions.$inferSelect, 'placementId' | 'placementRevision'>;

/**
 * The spec book: outlets, placements and their revisions, kept in the database and at hand in memory. Files that lie in
 * the data folder's `specs` are taken in when it is opened.
 */
export class SpecLibrary {
  /** What is offered: outlets with the placements that are not retired, as they hold today. */
  outlets: Outlet[] = [];
  /** Outlets in their order, those without placements as well. */
  allOutlets: Pick<Outlet, 'id' | 'name'>[] = [];
  refused: { file: string; problem: Problem }[] = [];
  /** Grows whenever the book changed, or a revision took effect. */
  edition = 0;
  private pages = new Map<string, PlacementPage>();
  private inForce = new Map<string, PlacedOutlet & { revision: number }>();
  private day = '';

  private constructor(
    private readonly db: Database,
    private readonly dir: string,
    private readonly clock: () => Date,
  ) {}

  /** Opens the book; the first time, the starter formats are written into it. */
  static async open(db: Database, dir: string, clock = () => new Date()): Promise<SpecLibrary> {
    const book = new SpecLibrary(db, dir, clock);
    await book.load();
    await book.takeFilesIn();
    if (book.pages.size === 0)
      await book.add('starter', await readFile(starterFile, 'utf8'), {
        by: 'Mivvy',
        reason: 'Neutral formats to start from.',
      });
    return book;
  }

  /** A placement as it holds today, also a retired one. */
  find(placementId: string): PlacedOutlet | undefined {
    return this.inForce.get(placementId);
  }

  /** The number of the revision that holds today. */
  revisionOf(placementId: string): number {
    return this.inForce.get(placementId)?.revision ?? 1;
  }

  /** A placement as a version was made for it: by its own revision, whatever holds today. */
  of({ placementId, placementRevision }: Versioned): PlacedOutlet | undefined {
    const now = this.inForce.get(placementId);
    if (!now || now.revision === placementRevision) return now;
    const page = this.pages.get(placementId);
    const revision = page?.revisions.find((r) => r.number === placementRevision);
    return page && revision ? { outlet: page.outlet, placement: revision.placement } : now;
  }

  /** Everything about a placement. */
  page(placementId: string): PlacementPage | undefined {
    return this.pages.get(placementId);
  }

  /** Every placement, retired ones too, in the book's order. */
  allPages(): PlacementPage[] {
    return [...this.pages.values()];
  }

  /** Today, as revisions take effect by it. */
  today(): string {
    return dayOf(this.clock());
  }

  /** Looks whether a revision has taken effect since; true if the book is another now. */
  async refresh(): Promise<boolean> {
    if (this.day === this.today()) return false;
    const before = JSON.stringify([...this.inForce.values()].map((p) => p.revision));
    await this.load();
    return before !== JSON.stringify([...this.inForce.values()].map((p) => p.revision));
  }

  /** What taking a file in would change. */
  preview(fileName: string, text: string): Result<BookChange[]> {
    const read = this.read(fileName, text);
    return read.ok ? ok(bookChanges(this.everything(), read.value)) : read;
  }

  /**
   * Takes a file into the book: new placements are added, changed ones get a revision, what the file does not name
   * stays. A file with a fault changes nothing.
   */
  async add(fileName: string, text: string, authored: Authored, effectiveOn?: string): Promise<Result<void>> {
    const read = this.read(fileName, text);
    if (!read.ok) return read;
    await this.db.transaction((tx) => this.write(tx, read.value, authored, effectiveOn ?? this.today()));
    await this.load();
    return ok(undefined);
  }

  private read(fileName: string, text: string): Result<SpecBook> {
    const read = readSpecBook(text, fileName);
    if (!read.ok) return read;
    const moved = movedPlacement(this.everything(), read.value);
    if (moved)
      return fail('spec-book-clash', `${fileName} was not taken: ${moved}.`, 'Give it an id of its own.');
    for (const [o, outlet] of read.value.outlets.entries())
      for (const [p, placement] of outlet.placements.entries()) {
        const [first] = unmeetableIn(placement);
        if (first)
          return fail(
            'spec-book-refused',
            `${fileName} was not taken: ${['outlets', o, 'placements', p, ...first.path].join('.')}: ${first.message}.`,
            'Mend that field and add the file again.',
          );
      }
    return read;
  }

  /** Outlets with all their placements, as they hold today. */
  private everything(): Outlet[] {
    return this.collect(() => true);
  }

  private collect(wanted: (page: PlacementPage) => boolean): Outlet[] {
    const found = new Map<string, Outlet>();
    for (const [id, page] of this.pages) {
      const place = this.inForce.get(id);
      if (!place || !wanted(page)) continue;
      const outlet = found.get(page.outlet.id) ?? { ...page.outlet, placements: [] };
      outlet.placements.push(place.placement);
      found.set(page.outlet.id, outlet);
    }
    return this.allOutlets.flatMap(({ id }) => found.get(id) ?? []);
  }

  /**
   * Changes a placement: a new revision, made from the newest that its author has seen. Refused where another has been
   * made meanwhile, where its rules contradict each other, or where it would take effect before one that holds.
   */
  async revise(
    placement: Placement,
    basedOn: number,
    authored: Authored,
    effectiveOn = this.today(),
  ): Promise<Result<number>> {
    const page = this.pages.get(placement.id);
    if (!page) return fail('not-found', 'That placement is not in the book.', 'Add it as a new one.');
    const wrong = contradiction(placement);
    if (wrong) return wrong;
    const newest = page.revisions.at(-1)!;
    if (newest.number !== basedOn) return changedMeanwhile(newest);
    const inForce = revisionInForce(page.revisions, this.today())!;
    if (effectiveOn < inForce.effectiveOn)
      return fail(
        'dated-too-early',
        `Revision ${inForce.number} holds since ${inForce.effectiveOn}; one from ${effectiveOn} would never hold.`,
        'Let it take effect on that day or later.',
      );
    if (placementDifferences(newest.placement, placement).length === 0)
      return fail('nothing-changed', 'Nothing of it is different.', '');
    const number = newest.number + 1;
    // The key decides between two who were looked at as the first.
    const made = await this.db.transaction(async (tx) =>
      tx
        .insert(placementRevisions)
        .values({
          placementId: placement.id,
          number,
          placement,
          effectiveOn,
          madeAt: this.now(),
          ...authored,
        })
        .onConflictDoNothing()
        .returning(),
    );
    await this.load();
    return made.length ? ok(number) : changedMeanwhile(this.pages.get(placement.id)!.revisions.at(-1)!);
  }

  /** Adds a placement to an outlet, which is added with it where it is not there. */
  async addPlacement(
    outlet: Pick<Outlet, 'id' | 'name'>,
    placement: Placement,
    authored: Authored,
  ): Promise<Result<void>> {
    if (this.pages.has(placement.id))
      return fail(
        'id-taken',
        `The placement id “${placement.id}” is already in the book.`,
        'Give it an id of its own.',
      );
    const wrong = contradiction(placement);
    if (wrong) return wrong;
    const file = {
      format: 'mivvy-spec-book',
      version: 1,
      outlets: [{ ...outlet, placements: [placement] }],
    } as const;
    await this.db.transaction((tx) => this.write(tx, file as unknown as SpecBook, authored, this.today()));
    await this.load();
    return ok(undefined);
  }

  /** Gives an outlet another name. */
  async renameOutlet(id: string, name: string): Promise<void> {
    await this.db.update(outlets).set({ name }).where(eq(outlets.id, id));
    await this.load();
  }

  /** Retires a placement, so that it is offered no more, or offers it again. */
  async retire(placementId: string, retired: boolean): Promise<void> {
    await this.db
      .update(placements)
      .set({ retiredOn: retired ? this.today() : null })
      .where(and(eq(placements.id, placementId), retired ? isNull(placements.retiredOn) : sql`true`));
    await this.load();
  }

  /** The numbers were compared with their source today, and are right. */
  async checkedToday(placementId: string, by: string): Promise<void> {
    await this.db
      .update(placements)
      .set({ checkedOn: this.today(), checkedBy: by })
      .where(eq(placements.id, placementId));
    await this.load();
  }

  /** Names a placement's picture of evidence. */
  async setEvidence(placementId: string, evidence: string | null): Promise<void> {
    await this.db.update(placements).set({ evidence }).where(eq(placements.id, placementId));
    await this.load();
  }

  /** The book as a file. */
  file(): SpecBook {
    return { format: 'mivvy-spec-book', version: 1, outlets: this.outlets } as unknown as SpecBook;
  }

  private now = () => this.clock().toISOString();

  private async write(tx: Writer, book: SpecBook, authored: Authored, effectiveOn: string): Promise<void> {
    const changes = new Map(bookChanges(this.everything(), book).map((c) => [c.placementId, c]));
    const [{ last = -1 } = {}] = await tx
      .select({ last: sql<number>`max(${outlets.position})` })
      .from(outlets);
    let outletAt = (last ?? -1) + 1;
    const [newOutlets, newPlaces, revisions]: [
      (typeof outlets.$inferInsert)[],
      (typeof placements.$inferInsert)[],
      (typeof placementRevisions.$inferInsert)[],
    ] = [[], [], []];
    const known = new Map(this.allOutlets.map((o) => [o.id, o.name]));
    let placeAt = this.pages.size;
    for (const outlet of book.outlets) {
      if (!known.has(outlet.id)) newOutlets.push({ id: outlet.id, name: outlet.name, position: outletAt++ });
      else if (known.get(outlet.id) !== outlet.name)
        await tx.update(outlets).set({ name: outlet.name }).where(eq(outlets.id, outlet.id));
      for (const placement of outlet.placements) {
        const change = changes.get(placement.id)!;
        const checkedOn = placement.verifiedOn ?? null;
        const number = (this.pages.get(placement.id)?.revisions.at(-1)?.number ?? 0) + 1;
        if (change.kind === 'new')
          newPlaces.push({ id: placement.id, outletId: outlet.id, position: placeAt++, checkedOn });
        else if (checkedOn && checkedOn > (this.pages.get(placement.id)?.checkedOn ?? ''))
          await tx
            .update(placements)
            .set({ checkedOn, checkedBy: authored.by })
            .where(eq(placements.id, placement.id));
        if (change.kind === 'new' || change.kind === 'changed')
          revisions.push({
            placementId: placement.id,
            number,
            placement,
            effectiveOn,
            madeAt: this.now(),
            ...authored,
          });
      }
    }
    for (const some of inLots(newOutlets)) await tx.insert(outlets).values(some);
    for (const some of inLots(newPlaces)) await tx.insert(placements).values(some);
    for (const some of inLots(revisions)) await tx.insert(placementRevisions).values(some);
  }

  /** Files that were laid in the folder, by hand or by a release that kept the book in files. */
  private async takeFilesIn(): Promise<void> {
    this.refused = [];
    for (const file of (await readdir(this.dir)).filter((f) => f.endsWith(ending)).sort()) {
      const authored = { by: 'Mivvy', reason: `Read from ${file}.` };
      const taken = await this.add(file, await readFile(join(this.dir, file), 'utf8'), authored);
      if (taken.ok) {
        await mkdir(join(this.dir, 'taken'), { recursive: true });
        await rename(join(this.dir, file), join(this.dir, 'taken', file));
      } else this.refused.push({ file, problem: taken.problem });
    }
  }

  private async load(): Promise<void> {
    this.day = this.today();
    const pages = new Map<string, PlacementPage>();
    const all = await this.db.select().from(outlets).orderBy(asc(outlets.position));
    const byId = new Map(all.map((o) => [o.id, { id: o.id, name: o.name }]));
    for (const row of await this.db
      .select()
      .from(placements)
      .orderBy(asc(placements.position), placements.id))
      pages.set(row.id, {
        outlet: byId.get(row.outletId)!,
        retiredOn: row.retiredOn,
        checkedOn: row.checkedOn,
        checkedBy: row.checkedBy,
        evidence: row.evidence,
        revisions: [],
      });
    const revisions = await this.db.select().from(placementRevisions).orderBy(asc(placementRevisions.number));
    for (const { placementId, ...revision } of revisions) pages.get(placementId)?.revisions.push(revision);
    this.allOutlets = [...byId.values()];
    this.pages = pages;
    this.inForce = new Map(
      [...pages].flatMap(([id, page]) => {
        const revision = revisionInForce(page.revisions, this.day);
        if (!revision) return [];
        const { verifiedOn: _stated, ...rules } = revision.placement;
        // When it was checked belongs to the placement as a whole, not to one of its revisions.
        const placement = {
          ...rules,
          ...(page.checkedOn ? { verifiedOn: page.checkedOn } : {}),
        } as Placement;
        const known = this.inForce.get(id);
        // What has not changed stays the same object: plans are remembered by it.
        const same =
          known?.revision === revision.number &&
          JSON.stringify(known.placement) === JSON.stringify(placement);
        const kept = same ? known.placement : placement;
        return [[id, { outlet: page.outlet, placement: kept, revision: revision.number }] as const];
      }),
    );
    this.outlets = this.collect((page) => page.retiredOn === null);
    this.edition++;
  }

  /** Revisions of a placement that are still to take effect. */
  toCome(placementId: string): PlacementRevision[] {
    return revisionsToCome(this.pages.get(placementId)?.revisions ?? [], this.today());
  }
}

/** So many rows are written by one statement. */
const lot = 500;
function* inLots<T>(rows: readonly T[]): Generator<T[]> {
  for (let i = 0; i < rows.length; i += lot) yield rows.slice(i, i + lot);
}

function contradiction(placement: Placement): Result<never> | undefined {
  const [first] = unmeetableIn(placement);
  return (
    first && fail('rules-contradict', `${first.path.join('.')}: ${first.message}.`, 'Change one of the two.')
  );
}

function changedMeanwhile(newest: PlacementRevision): Result<never> {
  return fail(
    'changed-elsewhere',
    `${newest.by || 'Somebody'} made revision ${newest.number} of it meanwhile.`,
    'Look at what was changed; yours can be put on top of it.',
  );
}
