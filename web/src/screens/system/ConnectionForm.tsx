import { useState } from 'react';
import type {
  CollectionFound,
  CollectionSettings,
  ConnectionAsked,
  ConnectionSettings,
  SystemPage,
} from '../../api/client';
import { useDescribe } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Notice } from '../../parts/States';
import { Collections } from './Collections';
import { INPUT, Labelled, NumberField } from '../../parts/inputs';
import { PROTOCOLS, SIGN_INS } from './protocols';
import { Secret } from './Secret';

export const NEW: ConnectionAsked = {
  key: null,
  name: '',
  protocol: 'rest',
  address: '',
  settings: { callsAtOnce: 4, timeoutSeconds: 30, allowPrivate: false },
  secrets: null,
  monogram: null,
  colour: null,
  secretsEndOn: null,
};

export const askedOf = (page: SystemPage): ConnectionAsked => ({
  key: page.system.system,
  name: page.system.name,
  protocol: page.system.protocol,
  address: page.system.address,
  settings: page.settings,
  secrets: null,
  monogram: page.system.monogram,
  colour: page.system.colour,
  secretsEndOn: page.system.secretsEndOn,
});

/** Everything about how a system is reached. What the description says by itself is filled in from it. */
export function ConnectionForm({
  asked,
  change,
  kept,
  secretsKept,
}: {
  asked: ConnectionAsked;
  change: (next: ConnectionAsked) => void;
  kept: boolean;
  secretsKept: string[];
}) {
  const describe = useDescribe();
  const [found, setFound] = useState<CollectionFound[] | null>(null);
  const [more, setMore] = useState(false);
  const protocol = PROTOCOLS[asked.protocol]!;
  const settings = asked.settings;
  const called = asked.protocol !== 'folder' && asked.protocol !== 'events';
  const web = asked.protocol === 'rest' || asked.protocol === 'odata';
  const set = (some: Partial<ConnectionSettings>) => change({ ...asked, settings: { ...settings, ...some } });
  const kind = settings.signIn?.kind ?? 'none';
  const needed =
    asked.protocol === 'folder' || asked.protocol === 'events'
      ? []
      : asked.protocol === 'postgresql'
        ? SIGN_INS.basic!.secrets
        : SIGN_INS[kind]!.secrets;
  const read = () =>
    describe.mutate(asked, {
      onSuccess: (d) => {
        setFound(d.collections);
        if (kept) return;
        change({
          ...asked,
          name: asked.name || (d.title ?? ''),
          settings: {
            ...settings,
            signIn: settings.signIn ?? d.signIn,
            callsPerSecond: settings.callsPerSecond ?? d.callsPerSecond,
          },
        });
      },
    });
  return (
    <div className="space-y-4">
      {!kept && (
        <fieldset>
          <legend className="mb-1 font-semibold">How is it reached?</legend>
          <div className="grid grid-cols-2 border-t border-l border-rule bg-sheet">
            {Object.entries(PROTOCOLS).map(([key, p]) => (
              <label
                key={key}
                className="grid grid-cols-[20px_1fr] items-start gap-2 border-r border-b border-rule px-3 py-2 last:odd:col-span-2 has-checked:bg-ground"
              >
                <input
                  type="radio"
                  name="protocol"
                  value={key}
                  checked={asked.protocol === key}
                  onChange={() => {
                    setFound(null);
                    change({
                      ...asked,
                      protocol: key,
                      settings: { ...NEW.settings, allowPrivate: settings.allowPrivate },
                    });
                  }}
                  className="mt-1 size-3.5 accent-action"
                />
                <span>
                  <span className="font-semibold">{p.name}</span>
                  <span className="block text-sm text-soft">{p.hint}</span>
                </span>
              </label>
            ))}
          </div>
        </fieldset>
      )}
      {protocol.label && (
        <Labelled label={protocol.label}>
          {(id) => (
            <div className="flex gap-2">
              <input
                id={id}
                className={INPUT}
                value={asked.address}
                placeholder={protocol.example}
                spellCheck={false}
                onChange={(e) => change({ ...asked, address: e.target.value })}
              />
              {(web || asked.protocol === 'folder') && (
                <Button onClick={read} disabled={describe.isPending || asked.address.trim() === ''}>
                  {describe.isPending ? 'Reading…' : web ? 'Read the description' : 'Look at its files'}
                </Button>
              )}
            </div>
          )}
        </Labelled>
      )}
      {called && (
        <label className="flex items-start gap-2">
          <input
            type="checkbox"
            checked={settings.allowPrivate}
            onChange={(e) => set({ allowPrivate: e.target.checked })}
            className="mt-1 accent-action"
          />
          <span>
            It may be in a private network
            <span className="block text-sm text-soft">
              Without this yes, addresses inside this server's own network are not called.
            </span>
          </span>
        </label>
      )}
      {asked.protocol === 'rest' && (
        <Upload
          has={Boolean(settings.descriptionText)}
          take={(text) => set({ descriptionText: text })}
          drop={() => set({ descriptionText: null })}
        />
      )}
      {describe.isError && <Notice>{describe.error.message}</Notice>}
      <Labelled label="Name" hint="As people in your company call it. It stands in every sentence about it.">
        {(id) => (
          <input
            id={id}
            className={INPUT}
            value={asked.name}
            maxLength={60}
            onChange={(e) => change({ ...asked, name: e.target.value })}
          />
        )}
      </Labelled>
      {web && (
        <Labelled label="Sign-in">
          {(id) => (
            <select
              id={id}
              className={INPUT}
              value={kind}
              onChange={(e) => set({ signIn: { ...settings.signIn, kind: e.target.value, keyInQuery: false } })}
            >
              {Object.entries(SIGN_INS).map(([key, s]) => (
                <option key={key} value={key}>
                  {s.name}
                </option>
              ))}
            </select>
          )}
        </Labelled>
      )}
      {web && kind === 'key' && (
        <div className="grid grid-cols-2 gap-3">
          <Labelled label="Carried by">
            {(id) => (
              <input
                id={id}
                className={INPUT}
                value={settings.signIn?.keyName ?? ''}
                placeholder="X-Api-Key"
                onChange={(e) => set({ signIn: { ...settings.signIn!, keyName: e.target.value } })}
              />
            )}
          </Labelled>
          <Labelled label="Which is">
            {(id) => (
              <select
                id={id}
                className={INPUT}
                value={settings.signIn?.keyInQuery ? 'query' : 'header'}
                onChange={(e) => set({ signIn: { ...settings.signIn!, keyInQuery: e.target.value === 'query' } })}
              >
                <option value="header">a header</option>
                <option value="query">a query parameter</option>
              </select>
            )}
          </Labelled>
        </div>
      )}
      {needed.length > 0 && (
        <div className="grid grid-cols-2 gap-3">
          {needed.map(([name, label]) => (
            <Secret
              key={name}
              label={label}
              hidden={name !== 'user' && name !== 'clientId'}
              isKept={secretsKept.includes(name)}
              value={asked.secrets?.[name] ?? ''}
              from={settings.signIn?.from?.[name] ?? null}
              type={(value) => {
                const secrets = { ...asked.secrets };
                if (value === '') delete secrets[name];
                else secrets[name] = value;
                change({ ...asked, secrets: Object.keys(secrets).length > 0 ? secrets : null });
              }}
              takeFrom={(source) => {
                const from = { ...settings.signIn?.from };
                if (source === null) delete from[name];
                else from[name] = source;
                set({ signIn: { kind, keyInQuery: false, ...settings.signIn, from } });
              }}
            />
          ))}
          <Labelled label="Their last day" hint="So that you are told before they end. Leave it empty if they don’t.">
            {(id) => (
              <input
                id={id}
                type="date"
                className={INPUT}
                value={asked.secretsEndOn ?? ''}
                onChange={(e) => change({ ...asked, secretsEndOn: e.target.value || null })}
              />
            )}
          </Labelled>
        </div>
      )}
      <div className="grid grid-cols-3 gap-3">
        {web && (
          <NumberField
            label="Calls a second"
            hint="Empty: no limit"
            value={settings.callsPerSecond ?? null}
            set={(n) => set({ callsPerSecond: n })}
          />
        )}
        {called && (
          <>
            <NumberField label="Calls at once" value={settings.callsAtOnce} set={(n) => set({ callsAtOnce: n ?? 4 })} />
            <NumberField
              label="Seconds a call may take"
              value={settings.timeoutSeconds}
              set={(n) => set({ timeoutSeconds: n ?? 30 })}
            />
          </>
        )}
      </div>
      {found && (
        <Collections
          found={found}
          set={settings.collections ?? {}}
          change={(name, own) => {
            const all: Record<string, CollectionSettings> = { ...settings.collections };
            if (own === null) delete all[name];
            else all[name] = own;
            set({ collections: Object.keys(all).length > 0 ? all : null });
          }}
          canBeSet={asked.protocol === 'rest'}
          areFiles={asked.protocol === 'folder'}
        />
      )}
      {web && (
        <div>
          <button
            type="button"
            className="font-semibold text-action hover:underline"
            aria-expanded={more}
            onClick={() => setMore(!more)}
          >
            {more ? 'Less' : 'More: service address, token address, proxy, certificate'}
          </button>
          {more && (
            <div className="mt-2 space-y-3">
              {asked.protocol === 'rest' && (
                <Labelled
                  label="Service address"
                  hint="Where the records are, when that is another system than the one that the description was read from."
                >
                  {(id) => (
                    <input
                      id={id}
                      className={INPUT}
                      value={settings.service ?? ''}
                      onChange={(e) => set({ service: e.target.value || null })}
                    />
                  )}
                </Labelled>
              )}
              {kind === 'clientCredentials' && (
                <Labelled label="Token address" hint="Empty: as the description says.">
                  {(id) => (
                    <input
                      id={id}
                      className={INPUT}
                      value={settings.signIn?.tokenAddress ?? ''}
                      onChange={(e) => set({ signIn: { ...settings.signIn!, tokenAddress: e.target.value || null } })}
                    />
                  )}
                </Labelled>
              )}
              <Labelled label="Proxy" hint="Empty: none.">
                {(id) => (
                  <input
                    id={id}
                    className={INPUT}
                    value={settings.proxy ?? ''}
                    placeholder="http://proxy.example:3128"
                    onChange={(e) => set({ proxy: e.target.value || null })}
                  />
                )}
              </Labelled>
              <Labelled
                label="Certificate of a private authority"
                hint="As PEM text. Empty: the public ones that this server knows."
              >
                {(id) => (
                  <textarea
                    id={id}
                    className="h-24 w-full rounded border border-rule bg-sheet px-2.5 py-1 font-mono text-sm"
                    value={settings.certificateAuthority ?? ''}
                    onChange={(e) => set({ certificateAuthority: e.target.value || null })}
                  />
                )}
              </Labelled>
            </div>
          )}
        </div>
      )}
    </div>
  );
}

function Upload({ has, take, drop }: { has: boolean; take: (text: string) => void; drop: () => void }) {
  return (
    <p className="text-sm text-soft">
      {has ? (
        <>
          The uploaded document is used.{' '}
          <button type="button" className="font-semibold text-action hover:underline" onClick={drop}>
            Read it from the address instead
          </button>
        </>
      ) : (
        <label className="cursor-pointer">
          No document at an address? <span className="font-semibold text-action hover:underline">Upload the file</span>,
          and give the address of the service above.
          <input
            type="file"
            accept=".json,.yaml,.yml"
            className="sr-only"
            onChange={(e) => {
              const file = e.target.files?.[0];
              if (file) void file.text().then(take);
            }}
          />
        </label>
      )}
    </p>
  );
}
