import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { useForm, useWatch } from 'react-hook-form';
import { Navigate, useLocation } from 'react-router';
import { problemOf } from '../../api/client.ts';
import { useComeIn, useMe } from '../../api/people.ts';
import { ProblemNote } from '../../parts/notices.tsx';
import { chosenPassword } from './chosen-password.ts';
import { HowHard } from './how-hard.tsx';
import { PasswordField } from './password-field.tsx';
import styles from './people.module.css';

/** The password was right, and a code is wanted for the first time: that is no mistake of anybody’s. */
const firstAsked = (error: unknown): boolean => problemOf(error).code === 'code-wanted';

/** Whether a code is asked of a name: from the first time that one was wanted of it. */
function useCodeWanted({ error, variables }: ReturnType<typeof useComeIn>, name: string): boolean {
  const [wantedOf, setWantedOf] = useState<string | null>(null);
  const tried = variables && 'name' in variables ? variables.name : null;
  if (tried !== null && tried !== wantedOf && error && firstAsked(error)) setWantedOf(tried);
  return wantedOf !== null && wantedOf === name;
}

/** The way in: by name and password, or by a one-time link that lets a password be chosen. */
export function SignInScreen() {
  const me = useMe().data;
  const { hash, pathname } = useLocation();
  // It comes after the #, which browsers send nowhere, and leaves the address when it has been used.
  const [secret] = useState(() => (pathname === '/join' ? hash.slice(1) : ''));
  const joining = secret.length > 0;
  const comeIn = useComeIn();
  const { register, handleSubmit, formState, control } = useForm({
    defaultValues: { name: '', password: '', code: '' },
  });
  const chosen = useWatch({ control, name: 'password' });
  const codeWanted = useCodeWanted(comeIn, useWatch({ control, name: 'name' }));
  // Who is in, or where nobody signs in, there is nothing to do here.
  if (me && (me.person || !me.signIn)) return <Navigate to="/" replace />;
  return (
    <div className="desk">
      <main className={styles.way}>
        <form
          onSubmit={(event) =>
            void handleSubmit(({ name, password, code }) =>
              comeIn.mutate(
                joining ? { secret, password } : { name, password, ...(codeWanted ? { code } : {}) },
              ),
            )(event)
          }
        >
          <h1>{joining ? 'Choose a password' : 'Sign in'}</h1>
          {joining ? (
            <p className="quiet">Twelve letters or more; any sentence will do. This link works once.</p>
          ) : (
            <TextField
              label="Name"
              autoFocus
              autoComplete="username"
              error={!!formState.errors.name}
              {...register('name', { required: true })}
            />
          )}
          <PasswordField
            label="Password"
            autoComplete={joining ? 'new-password' : 'current-password'}
            error={!!formState.errors.password}
            helperText={formState.errors.password?.message ?? ' '}
            {...register('password', joining ? { validate: chosenPassword } : { required: true })}
          />
          {joining && <HowHard password={chosen} />}
          {codeWanted && (
            <TextField
              label="Code"
              autoFocus
              autoComplete="one-time-code"
              error={!!formState.errors.code}
              helperText="The one that your app shows now, or a spare one."
              {...register('code', { required: true })}
            />
          )}
          {comeIn.isError && !firstAsked(comeIn.error) && <ProblemNote problem={problemOf(comeIn.error)} />}
          <Button type="submit" variant="contained" disabled={comeIn.isPending || comeIn.isSuccess}>
            {joining ? 'Come in' : 'Sign in'}
          </Button>
          {!joining && (
            <p className="quiet">No password, or a lost one? Whoever runs this workspace makes you a link.</p>
          )}
        </form>
      </main>
    </div>
  );
}
