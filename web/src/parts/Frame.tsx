import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { useRef, useState } from 'react';
import { Link, NavLink, Outlet, useLocation, useNavigate } from 'react-router';
import type { Session } from '../api/client';
import { useQueues, useSignOut } from '../api/queries';
import { Key } from './Button';
import { Foot } from './Foot';
import { useKeys } from './keys';
import { Mark, type MarkName } from './Mark';

const PLACES = [
  ['/', 'Today'],
  ['/records', 'Records'],
  ['/mirrors', 'Mirrors'],
  ['/systems', 'Systems'],
  ['/runs', 'Runs'],
] as const;

/** What stands around every page: where one can go, what waits for a person, and what is happening now. */
export function Frame({ session }: { session: Session }) {
  const queues = useQueues();
  const signOut = useSignOut();
  const waiting: [string, MarkName, string, number | undefined][] = [
    ['/conflicts', 'inConflict', 'Conflicts', queues.data?.conflicts],
    ['/look-alikes', 'lookAlike', 'Look-alikes', queues.data?.lookAlikes],
    ['/held', 'held', 'Held', queues.data?.held],
  ];
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-11 shrink-0 items-center gap-5 border-b border-rule px-4">
        <Link to="/" className="flex shrink-0 items-center gap-2 font-semibold">
          <Emblem />
          Upright Mirror
        </Link>
        <nav aria-label="Main" className="flex h-full items-center">
          {PLACES.map(([to, name]) => (
            <NavLink
              key={to}
              to={to}
              end={to === '/'}
              className={({ isActive }) =>
                `flex h-full items-center border-b-2 px-2.5 pt-0.5 ${isActive ? 'border-action font-semibold' : 'border-transparent text-soft hover:text-ink'}`
              }
            >
              {name}
            </NavLink>
          ))}
        </nav>
        <Search />
        <nav aria-label="Waiting for a person" className="ml-auto flex items-center gap-1">
          {waiting.map(([to, mark, name, count]) => (
            <NavLink
              key={to}
              to={to}
              className={({ isActive }) =>
                `flex h-[30px] items-center gap-1.5 rounded border px-2 ${isActive ? 'border-rule bg-sheet' : 'border-transparent hover:bg-sheet'}`
              }
            >
              <Mark of={mark} />
              {name}
              <span className="font-semibold">{count ?? '–'}</span>
            </NavLink>
          ))}
        </nav>
        <Menu>
          <MenuButton className="shrink-0 text-soft hover:text-ink">{session.name}</MenuButton>
          <MenuItems
            anchor="bottom end"
            className="z-50 mt-1 min-w-52 rounded border border-rule bg-sheet py-1 shadow-sm"
          >
            <div className="border-b border-rule px-3 py-2 text-sm text-soft">
              {session.email}
              <br />
              {session.role}
            </div>
            <MenuItem>
              <Link to="/password" className="block w-full px-3 py-1.5 text-left data-focus:bg-ground">
                Change your password
              </Link>
            </MenuItem>
            {session.role === 'administrator' && (
              <MenuItem>
                <Link to="/settings" className="block w-full px-3 py-1.5 text-left data-focus:bg-ground">
                  Settings: people, notices, changes
                </Link>
              </MenuItem>
            )}
            <MenuItem>
              <button
                type="button"
                onClick={() => signOut.mutate()}
                className="block w-full px-3 py-1.5 text-left data-focus:bg-ground"
              >
                Sign out
              </button>
            </MenuItem>
          </MenuItems>
        </Menu>
      </header>
      <main className="min-h-0 flex-1 overflow-auto">
        <Outlet />
      </main>
      <Foot />
    </div>
  );
}

export function Emblem() {
  return (
    <svg viewBox="0 0 22 20" className="h-[18px] w-5" aria-hidden="true">
      <path d="M8.5 4 1 10l7.5 6z" fill="currentColor" />
      <path d="M11 1v18" className="stroke-action" strokeWidth="1.6" />
      <path d="m13.5 5.2 6 4.8-6 4.8z" fill="none" stroke="currentColor" strokeWidth="1.4" />
    </svg>
  );
}

function Search() {
  const go = useNavigate();
  const here = useLocation();
  const given = here.pathname === '/records' ? (new URLSearchParams(here.search).get('text') ?? '') : '';
  const [text, setText] = useState<string | null>(null);
  const input = useRef<HTMLInputElement>(null);
  useKeys([
    { key: '/', does: 'Find a record', act: () => input.current?.focus() },
    { key: '?', does: 'List the keys of this page' },
  ]);
  return (
    <form
      role="search"
      className="relative w-52 min-w-28 shrink"
      onSubmit={(e) => {
        e.preventDefault();
        void go(`/records?text=${encodeURIComponent(text ?? given)}`);
        setText(null);
      }}
    >
      <input
        ref={input}
        type="search"
        aria-label="Find a record by name, number, e-mail or id"
        placeholder="Find a record"
        maxLength={200}
        value={text ?? given}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => e.key === 'Escape' && input.current?.blur()}
        className="h-7 w-full rounded border border-rule bg-sheet pr-8 pl-2.5 placeholder:text-soft"
      />
      <span className="pointer-events-none absolute top-[3px] right-2">
        <Key>/</Key>
      </span>
    </form>
  );
}
