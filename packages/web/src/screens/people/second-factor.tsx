import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useForm } from 'react-hook-form';
import { encode } from 'uqr';
import { problemOf } from '../../api/client.ts';
import { useProposeCodes, useSecondFactor, useTurnCodesOff, useTurnCodesOn } from '../../api/people.ts';
import { momentWords } from '../../parts/days.ts';
import { Failed, Loading, ProblemNote } from '../../parts/notices.tsx';
import { PasswordField } from './password-field.tsx';
import { ToldOnce } from './told-once.tsx';
import styles from './people.module.css';

/** Asks for the password again before something is done. */
function ByPassword({
  act,
  busy,
  error,
  onAct,
}: {
  act: string;
  busy: boolean;
  error: unknown;
  onAct: (password: string) => void;
}) {
  const { register, handleSubmit, reset } = useForm({ defaultValues: { password: '' } });
  return (
    <>
      <form
        className={styles.add}
        onSubmit={(event) =>
          void handleSubmit(({ password }) => {
            onAct(password);
            reset();
          })(event)
        }
      >
        <PasswordField
          label="Your password"
          size="small"
          autoComplete="current-password"
          {...register('password', { required: true })}
        />
        <Button type="submit" variant="outlined" disabled={busy}>
          {act}
        </Button>
      </form>
      {error !== null && <ProblemNote problem={problemOf(error)} />}
    </>
  );
}

/** A picture that an app on a phone reads an address from (ISO/IEC 18004). */
function AddressPicture({ address }: { address: string }) {
  const { data, size } = encode(address, { ecc: 'M', border: 4 });
  const dark = data.flatMap((row, y) => row.flatMap((on, x) => (on ? [`M${x} ${y}h1v1h-1z`] : [])));
  return (
    <svg
      className={styles.code}
      viewBox={`0 0 ${size} ${size}`}
      role="img"
      aria-label="What the app reads"
      shapeRendering="crispEdges"
    >
      <rect width={size} height={size} fill="#fff" />
      <path d={dark.join('')} fill="#000" />
    </svg>
  );
}

/** The app is shown what it makes codes of; a code of it proves that it does. */
function Proposed({
  address,
  secret,
  onCode,
  busy,
  error,
}: {
  address: string;
  secret: string;
  onCode: (code: string) => void;
  busy: boolean;
  error: unknown;
}) {
  const { register, handleSubmit } = useForm({ defaultValues: { code: '' } });
  return (
    <div className={styles.proposed}>
      <AddressPicture address={address} />
      <div>
        <p>Let the app on your phone read this picture, or type these letters into it:</p>
        <p className={`mono ${styles.secret}`} data-testid="code-letters">
          {secret.match(/.{1,4}/g)?.join(' ')}
        </p>
        <form
          className={styles.add}
          onSubmit={(event) => void handleSubmit(({ code }) => onCode(code))(event)}
        >
          <TextField
            label="The code it shows"
            size="small"
            autoFocus
            autoComplete="one-time-code"
            {...register('code', { required: true })}
          />
          <Button type="submit" variant="contained" disabled={busy}>
            Turn it on
          </Button>
        </form>
        {error !== null && <ProblemNote problem={problemOf(error)} />}
      </div>
    </div>
  );
}

/** One's own second factor: set up, turned on by a code of it, turned off by who knows the password. */
export function SecondFactor({ kept = false }: { /** It cannot be turned off here. */ kept?: boolean }) {
  const factor = useSecondFactor();
  const propose = useProposeCodes();
  const on = useTurnCodesOn();
  const off = useTurnCodesOff();
  if (factor.isPending) return <Loading what="your second factor" />;
  if (factor.isError) return <Failed error={factor.error} onRetry={() => void factor.refetch()} />;
  const { since, spareCodes } = factor.data;
  return (
    <section aria-label="Second factor">
      <h2>A second factor</h2>
      <p className="quiet">
        {since
          ? `A code is asked for beside your password, since ${momentWords(since)}; ${spareCodes} spare ${spareCodes === 1 ? 'code is' : 'codes are'} left.`
          : 'A code beside your password, made by an app on your phone: who has the one and not the other stays out.'}
      </p>
      {on.data && since && (
        <ToldOnce
          said="These are your spare codes. Each lets you in once without your phone; they are shown here only once."
          secret={on.data.spareCodes.join('\n')}
        />
      )}
      {since && kept ? null : since ? (
        <ByPassword
          act="Turn it off"
          busy={off.isPending}
          error={off.error}
          onAct={(password) => {
            propose.reset();
            on.reset();
            off.mutate(password);
          }}
        />
      ) : propose.data ? (
        <Proposed {...propose.data} busy={on.isPending} error={on.error} onCode={(code) => on.mutate(code)} />
      ) : (
        <ByPassword
          act="Set one up"
          busy={propose.isPending}
          error={propose.error}
          onAct={(password) => propose.mutate(password)}
        />
      )}
    </section>
  );
}
