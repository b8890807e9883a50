import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import TextField from '@mui/material/TextField';
import { useSnackbar } from 'notistack';
import { useForm } from 'react-hook-form';
import { useNavigate } from 'react-router';
import type { ProductionCard } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useRemoveProduction, useRenameProduction, useStartProduction } from '../../api/changes.ts';
import styles from './production-dialogs.module.css';

/** Name and client of a production, for a new one or one that is there. */
function ProductionDialog({
  title,
  action,
  initial,
  pending,
  error,
  onSave,
  onClose,
}: {
  title: string;
  action: string;
  initial: { name: string; client: string };
  pending: boolean;
  error: unknown;
  onSave: (names: { name: string; client: string }) => void;
  onClose: () => void;
}) {
  const { register, handleSubmit, formState } = useForm({ defaultValues: initial });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs" aria-labelledby="names-title">
      <form
        onSubmit={(event) =>
          void handleSubmit(({ name, client }) => onSave({ name: name.trim(), client: client.trim() }))(event)
        }
      >
        <DialogContent sx={{ display: 'grid', gap: 2 }}>
          <h2 id="names-title" className={styles.title}>
            {title}
          </h2>
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
            label="Client"
            error={!!formState.errors.client}
            helperText={formState.errors.client?.message}
            {...register('client', { maxLength: { value: 120, message: 'At most 120 letters' } })}
          />
          {error != null && (
            <p className="warn fault" role="alert">
              {problemOf(error).sentence}
            </p>
          )}
        </DialogContent>
        <DialogActions sx={{ p: 2 }}>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={pending}>
            {action}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}

/** Starts a production. */
export function NewProduction({ onClose }: { onClose: () => void }) {
  const start = useStartProduction();
  const navigate = useNavigate();
  return (
    <ProductionDialog
      title="New production"
      action="Start"
      initial={{ name: '', client: '' }}
      pending={start.isPending}
      error={start.error}
      onClose={onClose}
      onSave={(names) => start.mutate(names, { onSuccess: ({ id }) => void navigate(`/productions/${id}`) })}
    />
  );
}

/** Gives a production another name. */
export function RenameProduction({ card, onClose }: { card: ProductionCard; onClose: () => void }) {
  const rename = useRenameProduction(card.id);
  return (
    <ProductionDialog
      title="Rename"
      action="Rename"
      initial={{ name: card.name, client: card.client }}
      pending={rename.isPending}
      error={rename.error}
      onClose={onClose}
      onSave={(names) => rename.mutate(names, { onSuccess: onClose })}
    />
  );
}

/** Takes a production away with everything made for it, asking first. */
export function RemoveProduction({ card, onClose }: { card: ProductionCard; onClose: () => void }) {
  const removal = useRemoveProduction();
  const { enqueueSnackbar } = useSnackbar();
  const remove = () =>
    removal.mutate(card.id, {
      onSettled: onClose,
      onError: (error) => enqueueSnackbar(problemOf(error).sentence, { variant: 'error' }),
    });
  return (
    <Dialog open onClose={onClose} aria-labelledby="remove-title">
      <DialogContent className={styles.question}>
        <h2 id="remove-title" className={styles.title}>
          Remove “{card.name}”?
        </h2>
        <p>
          Its versions and every file made for it go too. Films that lie in the inbox folder stay where they
          are.
        </p>
      </DialogContent>
      <DialogActions sx={{ p: 2 }}>
        <Button onClick={onClose}>Keep it</Button>
        <Button color="error" variant="contained" disabled={removal.isPending} onClick={remove}>
          Remove
        </Button>
      </DialogActions>
    </Dialog>
  );
}
