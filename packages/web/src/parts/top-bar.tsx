import DarkIcon from '@mui/icons-material/DarkModeOutlined';
import LightIcon from '@mui/icons-material/LightModeOutlined';
import Tooltip from '@mui/material/Tooltip';
import type { ReactNode } from 'react';
import { Link, NavLink } from 'react-router';
import { WhoIsIn } from './who-is-in.tsx';
import { useDeskColour } from '../theme/use-desk-colour.ts';

/** One stop on the road across the top. */
interface Stop {
  to: string;
  name: string;
  end?: boolean;
}

/** A screen that is reached from everywhere. */
function Everywhere({ to, children }: { to: string; children: ReactNode }) {
  return (
    <NavLink
      to={to}
      className="fix tall"
      style={({ isActive }) => (isActive ? { color: 'var(--ink)', fontWeight: 650 } : {})}
    >
      {children}
    </NavLink>
  );
}

/** The header of every screen: the mark, where one is, the road, and what is running. */
export function TopBar({
  where,
  road = [],
  running,
}: {
  where?: ReactNode;
  road?: readonly Stop[];
  running?: ReactNode;
}) {
  const { desk, setDesk } = useDeskColour();
  return (
    <header className="top">
      <Link to="/" className="mark" aria-label="Mivvy, all productions">
        <svg viewBox="0 0 20 20" aria-hidden>
          <circle cx="10" cy="10" r="5.5" />
          <path d="M10 0v20M0 10h20" />
        </svg>
        Mivvy
      </Link>
      <div className="where clip">{where}</div>
      <nav className="road" aria-label="The road">
        {road.map((stop) => (
          <NavLink
            key={stop.to}
            to={stop.to}
            end={stop.end ?? false}
            className={({ isActive }) => (isActive ? 'on' : '')}
          >
            {stop.name}
          </NavLink>
        ))}
      </nav>
      {running}
      {/* Inside a production its own ledger is on the road. */}
      {road.length === 0 && <Everywhere to="/ledger">Ledger</Everywhere>}
      <Everywhere to="/spec-book">Spec book</Everywhere>
      {road.length === 0 && <Everywhere to="/machines">Machines</Everywhere>}
      <WhoIsIn />
      <Tooltip title={desk === 'dark' ? 'Light desk' : 'Dark desk'}>
        <button
          className="iconbutton"
          aria-label={desk === 'dark' ? 'Light desk' : 'Dark desk'}
          onClick={() => setDesk(desk === 'dark' ? 'light' : 'dark')}
        >
          {desk === 'dark' ? <LightIcon /> : <DarkIcon />}
        </button>
      </Tooltip>
    </header>
  );
}
