import Button from '@mui/material/Button';
import { useForm, useWatch } from 'react-hook-form';
import { problemOf } from '../../api/client.ts';
import { useNewPassword } from '../../api/people.ts';
import { ProblemNote } from '../../parts/notices.tsx';
import { chosenPassword } from './chosen-password.ts';
import { HowHard } from './how-hard.tsx';
import { PasswordField } from './password-field.tsx';
import styles from './people.module.css';

/** One's own password, changed by who knows the old one. */
export function OwnPassword() {
  const change = useNewPassword();
  const { register, handleSubmit, reset, formState, control } = useForm({
    defaultValues: { old: '', password: '' },
  });
  const chosen = useWatch({ control, name: 'password' });
  return (
    <section aria-label="Your password">
      <h2>Your password</h2>
      <form
        className={styles.add}
        onSubmit={(event) =>
          void handleSubmit((input) => change.mutate(input, { onSuccess: () => reset() }))(event)
        }
      >
        <PasswordField
          label="Old one"
          size="small"
          autoComplete="current-password"
          {...register('old', { required: true })}
        />
        <div>
          <PasswordField
            label="New one"
            size="small"
            autoComplete="new-password"
            error={!!formState.errors.password}
            helperText={formState.errors.password?.message}
            {...register('password', { validate: chosenPassword })}
          />
          <HowHard password={chosen} />
        </div>
        <Button type="submit" variant="outlined" disabled={change.isPending}>
          Change it
        </Button>
      </form>
      {change.isSuccess && <p role="status">It is changed; your other browsers are signed out.</p>}
      {change.isError && <ProblemNote problem={problemOf(change.error)} />}
    </section>
  );
}
