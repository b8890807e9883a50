import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { useForm } from 'react-hook-form';
import { countWords } from '@mivvy/core';
import type { ReviewLink, Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useReviewLinks, useRevokeLink, useStartReview } from '../../api/ledger.ts';
import { momentWords } from '../../parts/days.ts';
import { Loading, ProblemNote } from '../../parts/notices.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import styles from './show-to-client.module.css';

/** What became of a link. */
function linkWords(link: ReviewLink): string {
  const opened = link.visits.filter((visit) => visit.outcome === 'opened').length;
  const refused = link.visits.length - opened;
  const visits = opened === 0 ? 'not opened yet' : `opened ${countWords(opened, 'time')}`;
  return `${visits}${refused ? `, refused ${countWords(refused, 'time')}` : ''}`;
}

/** Links that were made before, with who came by them; each can be ended. */
function Links() {
  const production = useThisProduction();
  const links = useReviewLinks(production.id);
  const revoke = useRevokeLink(production.id);
  if (links.isPending) return <Loading what="the links" />;
  if (!links.data?.length) return null;
  return (
    <>
      <h3>Links that were made before</h3>
      <ul className={styles.links}>
        {links.data.map((link) => {
          const over = link.revokedAt !== null || new Date(link.endsAt) < new Date();
          return (
            <li key={link.id}>
              <span>
                <b>{link.name}</b>{' '}
                <span className="quiet">
                  {countWords(link.versionIds.length, 'film')}, {linkWords(link)},{' '}
                  {link.revokedAt
                    ? `ended by hand ${momentWords(link.revokedAt)}`
                    : `${over ? 'ended' : 'ends'} ${momentWords(link.endsAt)}`}
                  {link.visits[0] && `; last ${momentWords(link.visits[0].at)}`}
                </span>
              </span>
              {!over && (
                <button className="fix tall" onClick={() => revoke.mutate(link.id)}>
                  End it
                </button>
              )}
            </li>
          );
        })}
      </ul>
    </>
  );
}

/** The address of a link that was just made: it is shown this once. */
function Made({ address, qr, onlyHere }: { address: string; qr: string; onlyHere: boolean }) {
  const [copied, setCopied] = useState(false);
  return (
    <div className={styles.made} role="status">
      <img src={`data:image/svg+xml;utf8,${encodeURIComponent(qr)}`} alt="The link as a QR code" />
      <div>
        <p>Send this address. It is shown here only once.</p>
        <p className={`mono ${styles.address}`} data-testid="review-address">
          {address}
        </p>
        <Button
          variant="outlined"
          onClick={() => void navigator.clipboard.writeText(address).then(() => setCopied(true))}
        >
          {copied ? 'Copied' : 'Copy it'}
        </Button>
        {onlyHere && (
          <p className="warn mild">
            It opens on this machine only. To reach it from a phone or from outside, start Mivvy with
            MIVVY_REVIEW_HOST=0.0.0.0: whoever is in the network and has a link sees its films then, and
            nothing else.
          </p>
        )}
      </div>
    </div>
  );
}

function ShowDialog({ versions, onClose }: { versions: readonly Version[]; onClose: () => void }) {
  const production = useThisProduction();
  const start = useStartReview(production.id);
  const ready = versions.filter((v) => v.deliverable?.passed && !v.deliverable.onDisk);
  const { register, handleSubmit, formState } = useForm({
    defaultValues: { name: production.client || 'The client', days: 14, password: '', mayFetch: false },
  });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="show-title">
      <form
        onSubmit={(event) =>
          void handleSubmit(({ name, days, password, mayFetch }) =>
            start.mutate({
              name: name.trim(),
              versionIds: ready.map((v) => v.id),
              days: Number(days),
              mayFetch,
              ...(password ? { password } : {}),
            }),
          )(event)
        }
      >
        <DialogContent className={styles.content}>
          <h2 id="show-title">Show {countWords(ready.length, 'film')} to the client</h2>
          {ready.length < versions.length && (
            <p className="quiet">
              {versions.length - ready.length} of {versions.length} have no file that passed its check; they
              are not shown.
            </p>
          )}
          {start.data ? (
            <Made {...start.data} />
          ) : (
            <>
              <TextField
                label="For whom"
                autoFocus
                {...register('name', { required: true, maxLength: 60 })}
                error={!!formState.errors.name}
              />
              <TextField
                label="Opens for so many days"
                type="number"
                error={!!formState.errors.days}
                helperText={formState.errors.days ? '1 to 365' : ' '}
                {...register('days', { min: 1, max: 365, valueAsNumber: true })}
              />
              <TextField
                label="Password, if you want one"
                type="password"
                autoComplete="new-password"
                error={!!formState.errors.password}
                helperText={
                  formState.errors.password ? 'Six signs at least' : 'Tell it another way than the link'
                }
                {...register('password', { validate: (text) => text === '' || text.length >= 6 })}
              />
              <FormControlLabel
                control={<Checkbox {...register('mayFetch')} />}
                label="They may keep the films, on a phone for one"
              />
              {start.isError && <ProblemNote problem={problemOf(start.error)} />}
            </>
          )}
          <Links />
        </DialogContent>
        <DialogActions sx={{ p: 2 }}>
          <Button onClick={onClose}>Close</Button>
          {!start.data && (
            <Button type="submit" variant="contained" disabled={start.isPending || ready.length === 0}>
              Make the link
            </Button>
          )}
        </DialogActions>
      </form>
    </Dialog>
  );
}

/** Lays films before people outside, by a link. */
export function ShowToClient({ versions }: { versions: readonly Version[] }) {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button variant="outlined" onClick={() => setOpen(true)}>
        Show to the client
      </Button>
      {isOpen && <ShowDialog versions={versions} onClose={() => setOpen(false)} />}
    </>
  );
}
