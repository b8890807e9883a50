/** The cache's keys, in one place. */
export const keys = {
  productions: ['productions'] as const,
  /** What every production's key begins with. */
  allProductions: ['production'] as const,
  production: (id: string) => ['production', id] as const,
  /** Apart from the production: they move on many times a second. */
  jobs: (id: string) => ['jobs', id] as const,
  forecast: (id: string) => ['forecast', id] as const,
  deliverables: (id: string) => ['deliverables', id] as const,
  history: (versionId: string) => ['history', versionId] as const,
  allHistories: ['history'] as const,
  reviewLinks: (productionId: string) => ['review-links', productionId] as const,
  dispatches: (productionId: string) => ['dispatches', productionId] as const,
  happenings: (productionId: string) => ['happenings', productionId] as const,
  /** What every page of the ledger begins with. */
  ledger: ['ledger'] as const,
  ledgerViews: ['ledger-views'] as const,
  attention: ['attention'] as const,
  naming: (productionId: string, pattern: string) => ['naming', productionId, pattern] as const,
  report: (deliverableId: string) => ['report', deliverableId] as const,
  /** What its file is, for whoever shows one without its production. */
  filmOf: (masterId: string, fileGeneration: number) => ['film', masterId, fileGeneration] as const,
  look: (masterId: string) => ['look', masterId] as const,
  along: (masterId: string, fileGeneration: number, revision: number) =>
    ['along', masterId, fileGeneration, revision] as const,
  specBook: ['spec-book'] as const,
  typefaces: ['typefaces'] as const,
  /** What sets text, with every typeface that it has. */
  letters: ['letters'] as const,
  placementPage: (id: string) => ['spec-book', 'placement', id] as const,
  placeSets: ['place-sets'] as const,
  preferences: ['preferences'] as const,
  inbox: ['inbox'] as const,
  disk: ['disk'] as const,
  me: ['me'] as const,
  people: ['people'] as const,
  sessions: ['sessions'] as const,
  secondFactor: ['second-factor'] as const,
  tokens: ['tokens'] as const,
  machines: ['machines'] as const,
  room: ['room'] as const,
  here: (versionId: string) => ['here', versionId] as const,
};
