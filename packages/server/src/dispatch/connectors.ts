import type { Connector } from './connector.ts';
import { folderConnector } from './folder-connector.ts';
import { outletConnector } from './outlet-connector.ts';

/** What can carry files, by the name that a dispatch keeps. */
export type Connectors = Readonly<Record<'outlet' | 'folder', Connector>>;

/** The connectors of a workspace; `outlets` is where its outlets' interfaces are: the stand-ins that ship with it. */
export const connectorsTo = (outlets: string, patienceMs?: number): Connectors => ({
  outlet: outletConnector(outlets, patienceMs),
  folder: folderConnector,
});
