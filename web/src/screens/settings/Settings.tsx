import { NavLink, useParams } from 'react-router';
import { Changes } from './Changes';
import { Keeping } from './Keeping';
import { Mail } from './Mail';
import { Notices } from './Notices';
import { People } from './People';

const PARTS: [string, string][] = [
  ['people', 'People'],
  ['notices', 'Notices'],
  ['mail', 'Mail'],
  ['keeping', 'Keeping'],
  ['changes', 'Changes'],
];

/** Who may do what, who is told of what, and what was changed by whom. */
export function Settings() {
  const { part = 'people' } = useParams();
  return (
    <div className="mx-auto max-w-[1240px] px-5 py-4">
      <div className="mb-4 flex items-baseline gap-6 border-b border-rule">
        <h1 className="text-lg font-semibold">Settings</h1>
        <nav aria-label="Settings" className="flex">
          {PARTS.map(([key, name]) => (
            <NavLink
              key={key}
              to={`/settings/${key}`}
              aria-current={part === key ? 'page' : undefined}
              className={`-mb-px border-b-2 px-3 py-1.5 ${part === key ? 'border-action font-semibold' : 'border-transparent text-soft hover:text-ink'}`}
            >
              {name}
            </NavLink>
          ))}
        </nav>
      </div>
      {part === 'notices' ? (
        <Notices />
      ) : part === 'mail' ? (
        <Mail />
      ) : part === 'keeping' ? (
        <Keeping />
      ) : part === 'changes' ? (
        <Changes />
      ) : (
        <People />
      )}
    </div>
  );
}
