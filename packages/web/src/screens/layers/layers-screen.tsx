import { Link, useNavigate, useParams } from 'react-router';
import { useKey } from '../../keys/use-key.ts';
import { useLetters } from '../../letters/letters.ts';
import { NotesHere } from '../../parts/notes-here.tsx';
import { Empty, Failed, Loading } from '../../parts/notices.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { useDesk } from '../../play/use-desk.tsx';
import { CaptionsPane } from './captions/captions-pane.tsx';
import { LayerList } from './layer-list.tsx';
import styles from './layers.module.css';
import { LayersScore } from './layers-score.tsx';
import { LayersSessionProvider, useLayers } from './layers-session.tsx';
import { OtherVersions } from './other-versions.tsx';
import { ProofDesk } from './proof-desk.tsx';

/** What the left pane holds: what lies on the picture, or the words that are read. */
type Folding = 'picture' | 'captions';

/** One switch between layers and captions. */
function Foldings({ folding }: { folding: Folding }) {
  const { version } = useLayers();
  const base = `/productions/${version.productionId}/layers/${version.id}`;
  return (
    <nav className={styles.foldings} aria-label="What is laid over">
      <Link to={base} aria-current={folding === 'picture' ? 'page' : undefined} replace>
        On the picture
      </Link>
      <Link to={`${base}/captions`} aria-current={folding === 'captions' ? 'page' : undefined} replace>
        Captions
      </Link>
    </nav>
  );
}

function Workplace({ folding }: { folding: Folding }) {
  const { version, master, siblings, step } = useLayers();
  const desk = useDesk();
  const navigate = useNavigate();
  const go = (by: number) => {
    const here = siblings.findIndex((v) => v.id === version.id);
    const next = siblings[(here + by + siblings.length) % siblings.length];
    const rest = folding === 'captions' ? '/captions' : '';
    if (next) void navigate(`/productions/${version.productionId}/layers/${next.id}${rest}`);
  };
  useKey('Everywhere.undo', () => void step('undo'));
  useKey('Everywhere.redo', () => void step('redo'));
  useKey('Everywhere.versionAfter', () => go(1));
  useKey('Everywhere.versionBefore', () => go(-1));
  return (
    <>
      <div className={`${styles.layers} ${folding === 'captions' ? styles.reading : ''}`}>
        <section className={styles.list} aria-label={folding === 'captions' ? 'Captions' : 'Layers'}>
          <Foldings folding={folding} />
          <div className={styles.asked}>
            <NotesHere version={version} master={master} onSeek={(frame) => desk.seek(frame)} />
          </div>
          {folding === 'captions' ? <CaptionsPane /> : <LayerList />}
        </section>
        <ProofDesk handles={folding === 'picture'} />
        <OtherVersions folding={folding} />
      </div>
      <LayersScore folding={folding} />
    </>
  );
}

/** Layers: titles, pictures and captions over a film, in the frame of each of its versions. */
export function LayersScreen() {
  const production = useThisProduction();
  const { versionId, folding } = useParams();
  const letters = useLetters(true);
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
        What is laid over a film is placed in the frames that it is made for.
      </Empty>
    );
  if (!version.placement || !master?.facts || master.state === 'failed')
    return (
      <Empty title="Nothing can be laid over this version">
        {master?.problem?.sentence ??
          (version.placement
            ? 'Its master is still being read.'
            : 'Its place is not in the spec book any more.')}
      </Empty>
    );
  if (letters.isPending) return <Loading what="the letters" />;
  if (letters.isError) return <Failed error={letters.error} onRetry={() => void letters.refetch()} />;
  return (
    <LayersSessionProvider
      key={master.id}
      version={version}
      master={master}
      siblings={production.versions.filter((v) => v.masterId === master.id)}
    >
      <Workplace folding={folding === 'captions' ? 'captions' : 'picture'} />
    </LayersSessionProvider>
  );
}
