import Button from '@mui/material/Button';
import { useMemo, useRef, useState } from 'react';
import { oneShot, shotSpans } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { sendFilm } from '../../api/uploads.ts';
import { InboxDialog } from '../../parts/bring-in.tsx';
import { PlacesForMaster } from '../../parts/places/places-for-master.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { usePanelFrame } from '../../play/use-desk.tsx';
import { KeepsPanel } from './keeps-panel.tsx';
import { Facts } from './master-facts.tsx';
import { CarriedNote, FileNote, WorthKnowing } from './master-notes.tsx';
import type { MasterAtHand, MasterTab } from './master-at-hand.ts';
import styles from './masters.module.css';
import { RemoveMaster } from './remove-master.tsx';
import { SharedPanel } from './shared-panel.tsx';
import { ShotsPanel } from './shots-panel.tsx';
import { IsTextless, TextlessPanel } from './textless-panel.tsx';

/** What can be shown of a master beside it. */
const tabNames: Record<MasterTab, string> = {
  facts: 'Facts',
  shots: 'Shots',
  keeps: 'Keeps',
  shared: 'Common area',
};
const tabs = Object.keys(tabNames) as MasterTab[];

/** How many of a tab's things there are; nothing where they are not counted. */
function countOf(tab: MasterTab, master: Master): number | null {
  switch (tab) {
    case 'shots':
      return master.shots?.length ?? null;
    case 'keeps':
      return master.keeps.length || null;
    case 'facts':
    case 'shared':
      return null;
  }
}

function Tabs({ master, tab, setTab }: { master: Master } & Pick<MasterAtHand, 'tab' | 'setTab'>) {
  return (
    <div className="tabs" role="tablist" aria-label="About this master">
      {tabs.map((each) => (
        <button
          key={each}
          role="tab"
          aria-selected={tab === each}
          className={tab === each ? 'on' : ''}
          onClick={() => setTab(each)}
        >
          {tabNames[each]} {countOf(each, master)}
        </button>
      ))}
    </div>
  );
}

/** Puts another file in the film's place. */
function ReplaceSentence({ master }: { master: Master }) {
  const chooser = useRef<HTMLInputElement>(null);
  const [fromInbox, setFromInbox] = useState(false);
  return (
    <>
      <p className={styles.replace}>
        <button className="fix tall" onClick={() => chooser.current?.click()}>
          Replace it with a newer file
        </button>{' '}
        or{' '}
        <button className="fix tall" onClick={() => setFromInbox(true)}>
          one from the inbox
        </button>
        : {master.textlessOf ? 'it is matched anew.' : 'framing and keeps carry over.'}
      </p>
      <input
        ref={chooser}
        type="file"
        hidden
        data-testid="replacement-chooser"
        onChange={(event) => {
          const [file] = event.target.files ?? [];
          event.target.value = '';
          if (file) void sendFilm(file, master.productionId, { replaces: master.id });
        }}
      />
      <InboxDialog
        productionId={master.productionId}
        replaces={master}
        open={fromInbox}
        onClose={() => setFromInbox(false)}
      />
    </>
  );
}

function FactsPanel({ master, versions }: { master: Master; versions: readonly Version[] }) {
  const usable = master.state !== 'failed' && master.facts !== null;
  return (
    <>
      <FileNote master={master} />
      <CarriedNote master={master} />
      <WorthKnowing master={master} />
      <Facts master={master} />
      {master.textlessOf ? <IsTextless master={master} /> : usable && <TextlessPanel master={master} />}
      {!master.textlessOf && (
        <p className={`quiet ${styles.made}`}>
          {versions.length === 0
            ? 'No versions yet.'
            : `${versions.length === 1 ? 'One version is' : `${versions.length} versions are`} made from it.`}
        </p>
      )}
      <ReplaceSentence master={master} />
      <RemoveMaster master={master} versions={versions.length} />
    </>
  );
}

/** The windows of versions together, at the play head. */
function TogetherPanel({
  master,
  versions,
  atHand,
}: {
  master: Master;
  versions: readonly Version[];
  atHand: MasterAtHand;
}) {
  const { frames } = master.facts!.video;
  const spans = useMemo(() => shotSpans(master.shots ?? oneShot, frames), [master.shots, frames]);
  const frame = usePanelFrame(spans, frames);
  return (
    <SharedPanel
      master={master}
      versions={versions}
      shown={atHand.together.map((v) => v.id)}
      onShown={atHand.setTogether}
      frame={frame}
    />
  );
}

/** What is known of the chosen film, and what is worked on of it. */
export function MasterSide({
  master,
  versions,
  atHand,
}: {
  master: Master;
  versions: readonly Version[];
  atHand: MasterAtHand;
}) {
  const production = useThisProduction();
  const [placesOpen, setPlacesOpen] = useState(false);
  const { tab, setTab, keepId, setKeepId, drawing, setDrawing } = atHand;
  const usable = master.state !== 'failed' && master.facts !== null;
  return (
    <aside className="side" aria-label="Facts">
      <h2 className={styles.name}>{master.name}</h2>
      {usable && !master.textlessOf && (
        <div className={styles.where}>
          <Button variant="contained" onClick={() => setPlacesOpen(true)}>
            {versions.length ? 'Add places' : 'Choose where it goes'}
          </Button>
        </div>
      )}
      {usable && !master.textlessOf && <Tabs master={master} tab={tab} setTab={setTab} />}
      {(!usable || tab === 'facts') && <FactsPanel master={master} versions={versions} />}
      {usable && tab === 'shots' && <ShotsPanel master={master} />}
      {usable && tab === 'keeps' && (
        <KeepsPanel
          master={master}
          chosenId={keepId}
          onChoose={setKeepId}
          drawing={drawing}
          onDraw={setDrawing}
        />
      )}
      {usable && tab === 'shared' && <TogetherPanel master={master} versions={versions} atHand={atHand} />}
      {usable && placesOpen && (
        <PlacesForMaster
          productionId={production.id}
          master={master}
          versions={production.versions}
          onClose={() => setPlacesOpen(false)}
        />
      )}
    </aside>
  );
}
