import Dialog from '@mui/material/Dialog';
import { useQueryClient } from '@tanstack/react-query';
import { Command } from 'cmdk';
import { useMatch, useNavigate } from 'react-router';
import type { ProductionDetail } from '@mivvy/api';
import { keys } from '../api/keys.ts';
import { useProductions } from '../api/queries.ts';
import { offers } from './sentences.ts';
import styles from './finder.module.css';

/** A line to type in that answers with sentences of what would happen. */
export function FinderLine({ onClose }: { onClose: () => void }) {
  const navigate = useNavigate();
  const productions = useProductions();
  const client = useQueryClient();
  const match = useMatch('/productions/:productionId/*');
  const here = match
    ? client.getQueryData<ProductionDetail>(keys.production(match.params.productionId!))
    : undefined;
  return (
    <Dialog
      open
      onClose={onClose}
      fullWidth
      maxWidth="sm"
      aria-labelledby="finder-title"
      slotProps={{ paper: { sx: { alignSelf: 'flex-start', mt: '9vh' } } }}
    >
      <h2 id="finder-title" className="sr">
        What would you like to do?
      </h2>
      <Command label="What would you like to do?" className={styles.finder} loop>
        <Command.Input autoFocus placeholder="What would you like to do?" className={styles.line} />
        <Command.List className={styles.list}>
          <Command.Empty className={styles.none}>Nothing here does that. Try another word.</Command.Empty>
          {offers(productions.data ?? [], here).map(({ group, offers: all }) => (
            <Command.Group key={group} heading={group} className={styles.group}>
              {all.map(({ id, sentence, words, to }) => (
                <Command.Item
                  key={id}
                  value={`${sentence} ${id}`}
                  keywords={[...(words ?? [])]}
                  className={styles.offer}
                  onSelect={() => {
                    onClose();
                    void navigate(to);
                  }}
                >
                  {sentence}
                </Command.Item>
              ))}
            </Command.Group>
          ))}
        </Command.List>
      </Command>
    </Dialog>
  );
}
