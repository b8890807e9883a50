import { useParams } from 'react-router';
import type { Master } from '@mivvy/api';
import { DropArea } from '../../parts/bring-in.tsx';
import { Empty } from '../../parts/notices.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { MasterList } from './master-list.tsx';
import { useMasterAtHand } from './master-at-hand.ts';
import { MasterSide } from './master-side.tsx';
import { MasterStage } from './master-stage.tsx';
import './masters.css';
import styles from './masters.module.css';

/** The chosen film, live, and what is known of it. */
function ChosenMaster({ master }: { master: Master }) {
  const production = useThisProduction();
  const versions = production.versions.filter((v) => v.masterId === master.id);
  const atHand = useMasterAtHand(versions);
  return (
    <>
      <MasterStage master={master} atHand={atHand} />
      <MasterSide key={master.id} master={master} versions={versions} atHand={atHand} />
    </>
  );
}

/** Masters: the films of a production, and the chosen one at work. */
export function MastersScreen() {
  const production = useThisProduction();
  const { masterId } = useParams();
  const films = [...production.masters, ...production.textlessMasters];
  const master = films.find((m) => m.id === masterId) ?? films[0];
  return (
    <DropArea productionId={production.id}>
      {(choose) => (
        <div className="masters">
          <MasterList chosen={master} choose={choose} />
          {master ? (
            <ChosenMaster master={master} />
          ) : (
            <div className={styles.empty}>
              <Empty title="Drop the finished film here">
                Its size, length, rate and loudness are read at once.
              </Empty>
            </div>
          )}
        </div>
      )}
    </DropArea>
  );
}
