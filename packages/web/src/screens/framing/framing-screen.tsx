import { useState } from 'react';
import { Link, useParams } from 'react-router';
import { Empty } from '../../parts/notices.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { FramingScore } from './framing-score.tsx';
import { FramingSessionProvider, useFraming } from './framing-session.tsx';
import { MasterPane } from './master-pane.tsx';
import { DeliveryNote, WaitingNote } from './note/delivery-note.tsx';
import { ProofPane } from './proof-pane.tsx';
import { RoundBar } from './round-bar.tsx';
import { useRoadKeys, useShotKeys, useWindowKeys } from './use-framing-keys.ts';
import { useMasterLook } from './use-master-look.ts';
import './framing.css';

/** The panes of a version at work: what is said of it, its window on the master, the proof, and its length. */
function Workplace() {
  const { planned } = useFraming();
  const [look, setLook] = useMasterLook();
  const [over, setOver] = useState<string[]>([]);
  useWindowKeys();
  useShotKeys();
  useRoadKeys();
  return (
    <>
      <RoundBar />
      <div className="framing">
        {planned ? (
          <DeliveryNote planned={planned} over={over} onOver={setOver} look={look} onLook={setLook} />
        ) : (
          <WaitingNote />
        )}
        <MasterPane over={over} look={look} />
        <ProofPane />
      </div>
      <FramingScore />
    </>
  );
}

/** Framing: one version at work. */
export function FramingScreen() {
  const production = useThisProduction();
  const { versionId } = useParams();
  const version = production.versions.find((v) => v.id === versionId) ?? production.versions[0];
  const master = production.masters.find((m) => m.id === version?.masterId);
  if (!version)
    return (
      <Empty
        title="No versions yet"
        action={
          <Link className="fix tall" to={`/productions/${production.id}`}>
            Choose places on the proof sheet
          </Link>
        }
      >
        A version is one master made for one place.
      </Empty>
    );
  if (!version.placement)
    return (
      <Empty
        title="This place is not in the spec book any more"
        action={
          <Link className="fix tall" to="/spec-book">
            Open the spec book
          </Link>
        }
      >
        Add its spec book file again to go on.
      </Empty>
    );
  if (!master?.facts || master.state === 'failed')
    return <Empty title="This master cannot be used">{master?.problem?.sentence}</Empty>;
  return (
    <FramingSessionProvider
      key={version.id}
      version={version}
      master={master}
      siblings={production.versions.filter((v) => v.masterId === master.id)}
    >
      <Workplace />
    </FramingSessionProvider>
  );
}
