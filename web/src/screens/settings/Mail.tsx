import { useState } from 'react';
import type { SiteForm } from '../../api/client';
import { useNotices, useSaveSite } from '../../api/queries';
import { Button } from '../../parts/Button';
import { INPUT, Labelled, NumberField } from '../../parts/inputs';
import { Failing, Loading, Notice } from '../../parts/States';

/** How mail goes out, and what links in notices begin with. */
export function Mail() {
  const page = useNotices();
  if (page.isPending) return <Loading what="how mail goes out" />;
  if (page.isError) return <Failing error={page.error} retry={() => void page.refetch()} />;
  return <MailForm site={page.data.site} />;
}

function MailForm({ site }: { site: SiteForm }) {
  const [asked, setAsked] = useState<SiteForm>({ ...site, address: site.address ?? window.location.origin });
  const save = useSaveSite();
  const set = (some: Partial<SiteForm>) => setAsked({ ...asked, ...some });
  const text = (label: string, of: 'address' | 'host' | 'account' | 'from', hint?: string, placeholder?: string) => (
    <Labelled label={label} hint={hint}>
      {(id) => (
        <input
          id={id}
          className={INPUT}
          maxLength={300}
          placeholder={placeholder}
          value={asked[of] ?? ''}
          onChange={(e) => set({ [of]: e.target.value })}
        />
      )}
    </Labelled>
  );
  return (
    <form
      className="max-w-[640px] space-y-4"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate(asked, { onSuccess: () => set({ password: null }) });
      }}
    >
      {text('Links in notices begin with', 'address', 'The address of this site, as the people who are told reach it.')}
      <div className="grid grid-cols-[minmax(0,1fr)_120px] gap-3">
        {text(
          'Mail server',
          'host',
          'Empty: no mail goes out, and what was to go by mail is kept.',
          'mail.example.org',
        )}
        <NumberField label="Port" value={asked.port} set={(port) => set({ port: port ?? 0 })} />
      </div>
      <Labelled label="The way there">
        {(id) => (
          <select id={id} className={INPUT} value={asked.security} onChange={(e) => set({ security: e.target.value })}>
            <option value="startTls">is secured once connected (STARTTLS)</option>
            <option value="tls">is secured from the beginning (TLS)</option>
            <option value="none">is not secured: only on this machine or in a network of your own</option>
          </select>
        )}
      </Labelled>
      <div className="grid grid-cols-2 gap-3">
        {text('Account', 'account', 'Empty where the server asks for none.')}
        <Labelled label="Password" hint={site.hasPassword ? 'One is kept. Type another to replace it.' : undefined}>
          {(id) => (
            <input
              id={id}
              type="password"
              autoComplete="off"
              maxLength={1024}
              className={INPUT}
              value={asked.password ?? ''}
              onChange={(e) => set({ password: e.target.value || null })}
            />
          )}
        </Labelled>
      </div>
      {text('Mail comes from', 'from', undefined, 'mirror@example.org')}
      {save.isError && <Notice>{save.error.message}</Notice>}
      <div className="flex items-center gap-3">
        <Button primary type="submit" disabled={save.isPending}>
          {save.isPending ? 'Keeping…' : 'Keep it'}
        </Button>
        {save.isSuccess && (
          <span role="status" className="text-action">
            Kept. Try it with the test button of a notice.
          </span>
        )}
      </div>
    </form>
  );
}
