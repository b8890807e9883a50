import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import TextField from '@mui/material/TextField';
import { useForm } from 'react-hook-form';
import { useNavigate } from 'react-router';
import type { ProductionCard } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useCopyProduction } from '../../api/ledger.ts';
import { readDay } from '../../parts/days.ts';
import { ProblemNote } from '../../parts/notices.tsx';
import styles from './production-dialogs.module.css';

/** Starts a production like one that is there: its places, names, people and days. */
export function CopyProduction({ card, onClose }: { card: ProductionCard; onClose: () => void }) {
  const copy = useCopyProduction();
  const navigate = useNavigate();
  const { register, handleSubmit, formState } = useForm({ defaultValues: { name: '', due: '' } });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs" aria-labelledby="copy-title">
      <form
        onSubmit={(event) =>
          void handleSubmit(({ name, due }) =>
            copy.mutate(
              { id: card.id, name: name.trim(), dueOn: due ? readDay(due)! : null },
              { onSuccess: ({ id }) => void navigate(`/productions/${id}`) },
            ),
          )(event)
        }
      >
        <DialogContent sx={{ display: 'grid', gap: 2 }}>
          <h2 id="copy-title" className={styles.title}>
            One like “{card.name}”
          </h2>
          <p className="quiet">
            For the same client, with the same margin and names. Its places are offered for the first film,
            and who had them has them again.
          </p>
          <TextField
            label="Name of the film or job"
            autoFocus
            error={!!formState.errors.name}
            helperText={formState.errors.name?.message}
            {...register('name', {
              validate: (v) => v.trim() !== '' || 'A name is needed',
              maxLength: { value: 120, message: 'At most 120 letters' },
            })}
          />
          <TextField
            label="Due"
            error={!!formState.errors.due}
            helperText={
              formState.errors.due
                ? '2 Jun, 2.6. or 2027-06-02'
                : 'Days of single versions keep their distance to it'
            }
            {...register('due', { validate: (text) => text.trim() === '' || readDay(text) !== undefined })}
          />
          {copy.isError && <ProblemNote problem={problemOf(copy.error)} />}
        </DialogContent>
        <DialogActions sx={{ p: 2 }}>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={copy.isPending}>
            Start it
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
