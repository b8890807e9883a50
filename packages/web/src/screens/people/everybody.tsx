import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useForm } from 'react-hook-form';
import { roles, type Person, type Role } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useAddPerson, useChangePerson, useLetGo, useLinkAnew, usePeople } from '../../api/people.ts';
import { Choice } from '../../parts/choice.tsx';
import { momentWords } from '../../parts/days.ts';
import { Failed, Loading, ProblemNote } from '../../parts/notices.tsx';
import { roleWords } from './role-words.ts';
import { ToldOnce } from './told-once.tsx';
import styles from './people.module.css';

function standing({ joined, linkEndsAt, lastSeenAt, codesSince }: Person): string {
  const seen = lastSeenAt
    ? `last here ${momentWords(lastSeenAt)}`
    : joined
      ? 'not here yet'
      : 'has not come in yet';
  const said = codesSince ? `${seen}; comes in by password and code` : seen;
  return linkEndsAt ? `${said}; a link is open until ${momentWords(linkEndsAt)}` : said;
}

function PersonRow({ person, own }: { person: Person; own: boolean }) {
  const change = useChangePerson();
  const link = useLinkAnew();
  const letGo = useLetGo();
  const failed = [change, link, letGo].find((each) => each.isError);
  return (
    <li>
      <span>
        <b>{person.name}</b>{' '}
        <Choice
          label={`What ${person.name} may do`}
          value={person.role}
          shown={roleWords[person.role].name}
          options={roles.map((role) => ({ value: role, ...roleWords[role] }))}
          onChange={(role) => change.mutate({ id: person.id, role })}
        />{' '}
        <span className="quiet">{standing(person)}</span>
      </span>
      <span className={styles.acts}>
        <button className="fix tall" onClick={() => link.mutate(person.id)}>
          New link
        </button>
        {!own && (
          <button
            className="fix tall"
            aria-label={`Let ${person.name} go`}
            onClick={() => letGo.mutate({ kind: 'people', id: person.id })}
          >
            Let go
          </button>
        )}
      </span>
      {link.data && (
        <ToldOnce
          said={`This is the link for ${person.name}. It is shown here only once.${person.codesSince ? ' When it is opened, the second factor ends.' : ''}`}
          secret={link.data.link}
        />
      )}
      {failed && <ProblemNote problem={problemOf(failed.error)} />}
    </li>
  );
}

/** Everybody who may come in; somebody more is added here. */
export function Everybody({ ownId }: { ownId: string }) {
  const people = usePeople();
  const add = useAddPerson();
  const { register, handleSubmit, reset } = useForm({ defaultValues: { name: '', role: 'works' as Role } });
  if (people.isPending) return <Loading what="the people" />;
  if (people.isError) return <Failed error={people.error} onRetry={() => void people.refetch()} />;
  return (
    <section aria-label="Everybody">
      <ul className={styles.list}>
        {people.data.map((person) => (
          <PersonRow key={person.id} person={person} own={person.id === ownId} />
        ))}
      </ul>
      <form
        className={styles.add}
        onSubmit={(event) =>
          void handleSubmit((person) => add.mutate(person, { onSuccess: () => reset() }))(event)
        }
      >
        <TextField label="Name" size="small" {...register('name', { required: true, maxLength: 60 })} />
        <TextField label="Who" size="small" select defaultValue="works" {...register('role')}>
          {roles.map((role) => (
            <MenuItem key={role} value={role}>
              {roleWords[role].name}
            </MenuItem>
          ))}
        </TextField>
        <Button type="submit" variant="outlined" disabled={add.isPending}>
          Add somebody
        </Button>
      </form>
      {add.data && (
        <ToldOnce
          said={`This is the link for ${add.data.person.name}. It is shown here only once.`}
          secret={add.data.link}
        />
      )}
      {add.isError && <ProblemNote problem={problemOf(add.error)} />}
    </section>
  );
}
