import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import { useState } from 'react';
import { Link } from 'react-router';
import { useMe, useSignOut } from '../api/people.ts';

/** Who is signed in, with the way to their browsers and out; nothing where nobody signs in. */
export function WhoIsIn() {
  const person = useMe().data?.person;
  const signOut = useSignOut();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  if (!person) return null;
  return (
    <>
      <button
        className="fix tall"
        aria-haspopup="menu"
        aria-label={`${person.name}, signed in`}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {person.name}
      </button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        <MenuItem component={Link} to="/people" onClick={() => setAnchor(null)}>
          {person.role === 'runs' ? 'People' : 'Your browsers and tokens'}
        </MenuItem>
        <MenuItem onClick={() => signOut.mutate(undefined)}>Sign out</MenuItem>
      </Menu>
    </>
  );
}
