import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useForm } from 'react-hook-form';
import { roles, type Role, type Token } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useLetGo, useMakeToken, useTokens } from '../../api/people.ts';
import { momentWords } from '../../parts/days.ts';
import { Failed, Loading, ProblemNote } from '../../parts/notices.tsx';
import { roleWords } from './role-words.ts';
import { ToldOnce } from './told-once.tsx';
import styles from './people.module.css';

/** Secrets by which scripts ask in a person's name: made here, and revoked. */
export function Tokens({ role }: { role: Role }) {
  const tokens = useTokens();
  const letGo = useLetGo();
  const make = useMakeToken();
  const offered = roles.slice(roles.indexOf(role));
  const { register, handleSubmit, reset, formState } = useForm({
    defaultValues: { name: '', holder: 'script' as Token['holder'], role: 'looks' as Role, days: 90 },
  });
  if (tokens.isPending) return <Loading what="the tokens" />;
  if (tokens.isError) return <Failed error={tokens.error} onRetry={() => void tokens.refetch()} />;
  return (
    <section aria-label="Tokens">
      <h2>Tokens for scripts and render machines</h2>
      <p className="quiet">
        A script sends one as <span className="mono">Authorization: Bearer …</span> and asks in your name. A
        render machine’s opens nothing but what such a machine needs, whatever else it may.
      </p>
      <ul className={styles.list}>
        {tokens.data.map((token) => (
          <li key={token.id}>
            <span>
              <b>{token.name}</b>{' '}
              <span className="quiet">
                {token.person},{' '}
                {token.holder === 'machine' ? 'a render machine’s' : roleWords[token.role].name}; until{' '}
                {momentWords(token.endsAt)},{' '}
                {token.lastUsedAt ? `last used ${momentWords(token.lastUsedAt)}` : 'not used yet'}
              </span>
            </span>
            <button
              className="fix tall"
              aria-label={`Revoke ${token.name}`}
              onClick={() => letGo.mutate({ kind: 'tokens', id: token.id })}
            >
              Revoke
            </button>
          </li>
        ))}
      </ul>
      <form
        className={styles.add}
        onSubmit={(event) =>
          void handleSubmit((wanted) => make.mutate(wanted, { onSuccess: () => reset() }))(event)
        }
      >
        <TextField label="What for" size="small" {...register('name', { required: true, maxLength: 60 })} />
        <TextField label="Whose" size="small" select defaultValue="script" {...register('holder')}>
          <MenuItem value="script">a script’s</MenuItem>
          <MenuItem value="machine">a render machine’s</MenuItem>
        </TextField>
        <TextField label="May" size="small" select defaultValue="looks" {...register('role')}>
          {offered.map((each) => (
            <MenuItem key={each} value={each}>
              {roleWords[each].name}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          label="Days"
          size="small"
          type="number"
          sx={{ width: 90 }}
          error={!!formState.errors.days}
          {...register('days', { valueAsNumber: true, min: 1, max: 366 })}
        />
        <Button type="submit" variant="outlined" disabled={make.isPending}>
          Make a token
        </Button>
      </form>
      {make.data && (
        <ToldOnce
          said={`This is the token “${make.data.token.name}”. It is shown here only once.`}
          secret={make.data.secret}
        />
      )}
      {make.isError && <ProblemNote problem={problemOf(make.error)} />}
    </section>
  );
}
