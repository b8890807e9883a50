import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { useForm } from 'react-hook-form';
import { Navigate, useLocation } from 'react-router';
import { problemOf } from '../../api/client.ts';
import { useComeIn, useMe } from '../../api/people.ts';
import { ProblemNote } from '../../parts/notices.tsx';
import { chosenPassword } from './chosen-password.ts';
import styles from './people.module.css';

/** The way in: by name and password, or by a one-time link that lets a password be chosen. */
export function SignInScreen() {
  const me = useMe().data;
  const { hash, pathname } = useLocation();
  // It comes after the #, which browsers send nowhere, and leaves the address when it has been used.
  const [secret] = useState(() => (pathname === '/join' ? hash.slice(1) : ''));
  const joining = secret.length > 0;
  const comeIn = useComeIn();
  const { register, handleSubmit, formState } = useForm({ defaultValues: { name: '', password: '' } });
  // Who is in, or where nobody signs in, there is nothing to do here.
  if (me && (me.person || !me.signIn)) return <Navigate to="/" replace />;
  return (
    <div className="desk">
      <main className={styles.way}>
        <form
          onSubmit={(event) =>
            void handleSubmit(({ name, password }) =>
              comeIn.mutate(joining ? { secret, password } : { name, password }),
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
          <TextField
            label="Password"
            type="password"
            autoComplete={joining ? 'new-password' : 'current-password'}
            error={!!formState.errors.password}
            helperText={formState.errors.password?.message ?? ' '}
            {...register('password', joining ? { validate: chosenPassword } : { required: true })}
          />
          {comeIn.isError && <ProblemNote problem={problemOf(comeIn.error)} />}
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
