-- What the product remembers. Every table that grows with records begins its key with the mirror's id, so that it can be
-- partitioned by it on one machine, or placed by it across many.

create extension if not exists pg_trgm;

create table user_account (
    id bigint generated always as identity primary key,
    email text not null,
    name text not null,
    role text not null check (role in ('administrator', 'steward', 'reader')),
    password_hash text not null
);
create unique index user_account_email on user_account (lower(email));

create table connection (
    system text primary key,
    name text not null,
    monogram text not null,
    colour text not null,
    protocol text not null check (protocol in ('rest', 'odata')),
    address text not null,
    settings jsonb not null default '{}',
    -- Encrypted; never leaves the server.
    secrets text not null
);

-- The last calls' answers, for each system's health.
create table system_health (
    system text primary key references connection on delete cascade,
    state text not null,
    milliseconds int,
    calls bigint not null default 0,
    failures bigint not null default 0,
    last_fault text,
    last_fault_at timestamptz,
    seen_at timestamptz not null
);

create table mirror (
    id int generated always as identity primary key,
    key text not null unique,
    name text not null,
    state text not null default 'live' check (state in ('draft', 'live', 'paused')),
    version int not null default 1,
    definition jsonb not null,
    every_minutes int check (every_minutes between 1 and 10080),
    created_at timestamptz not null default now()
);

create table run (
    mirror_id int not null references mirror,
    id bigint generated always as identity,
    rehearsal boolean not null,
    state text not null check (state in ('waiting', 'running', 'finished', 'failed', 'stopped')),
    started_by text not null,
    started_at timestamptz not null,
    ended_at timestamptz,
    stage text,
    counts jsonb not null default '{}',
    reason text,
    stop_requested boolean not null default false,
    primary key (mirror_id, id)
);
create unique index run_id on run (id);
create index run_started on run (started_at desc);

create table watermark (
    mirror_id int not null references mirror,
    side int not null,
    at timestamptz not null,
    primary key (mirror_id, side)
);

create table link (
    mirror_id int not null references mirror,
    id uuid not null,
    title text not null,
    agreed jsonb not null default '{}',
    removal_decisions jsonb not null default '{}',
    waiting boolean not null default true,
    search text not null default '',
    created_at timestamptz not null default now(),
    changed_at timestamptz not null default now(),
    primary key (mirror_id, id)
);
create index link_waiting on link (mirror_id, id) where waiting;
create index link_search on link using gin (search gin_trgm_ops);
create index link_title on link (mirror_id, lower(title), id);

create table system_record (
    mirror_id int not null references mirror,
    side int not null,
    id text collate "C" not null,
    link_id uuid,
    raw jsonb,
    shadow jsonb,
    told jsonb not null default '{}',
    owed text[] not null default '{}',
    unmet text[] not null default '{}',
    version_tag text,
    changed_at timestamptz,
    changed_by text,
    match_keys text[] not null default '{}',
    waiting boolean not null default true,
    seen_at timestamptz not null,
    primary key (mirror_id, side, id)
);
create index system_record_unlinked on system_record (mirror_id, side, id) where link_id is null and waiting;
create index system_record_link on system_record (mirror_id, link_id);
create index system_record_keys on system_record using gin (match_keys);

create table conflict (
    mirror_id int not null references mirror,
    id bigint generated always as identity,
    link_id uuid not null,
    fields text[] not null,
    competing jsonb not null,
    why text not null,
    revision int not null default 1,
    state text not null default 'open' check (state in ('open', 'decided', 'closed')),
    opened_at timestamptz not null,
    decided_by text,
    decided_at timestamptz,
    decision text,
    primary key (mirror_id, id)
);
create unique index conflict_id on conflict (id);
create unique index conflict_open on conflict (mirror_id, link_id, fields) where state = 'open';
create index conflict_waiting on conflict (opened_at) where state = 'open';

create table delivery (
    mirror_id int not null references mirror,
    id bigint generated always as identity,
    run_id bigint not null,
    link_id uuid not null,
    side int not null,
    kind text not null check (kind in ('Change', 'Create', 'Remove')),
    record_id text,
    reference text not null,
    fields jsonb not null,
    version_tag text,
    state text not null check (state in ('planned', 'sent', 'confirmed', 'refused', 'superseded')),
    note text,
    planned_at timestamptz not null,
    ended_at timestamptz,
    primary key (mirror_id, id)
);
create index delivery_due on delivery (mirror_id, state, id) where state in ('planned', 'sent');
create index delivery_link on delivery (mirror_id, link_id) where state in ('planned', 'sent', 'refused');
create index delivery_run on delivery (mirror_id, run_id);

create table hold (
    mirror_id int not null references mirror,
    id bigint generated always as identity,
    link_id uuid,
    side int not null,
    record_id text not null,
    title text not null,
    field text,
    reason text not null,
    answer text,
    since timestamptz not null,
    primary key (mirror_id, id)
);
create index hold_record on hold (mirror_id, side, record_id);
create index hold_link on hold (mirror_id, link_id);

create table journal (
    mirror_id int not null references mirror,
    id bigint generated always as identity,
    link_id uuid not null,
    run_id bigint,
    at timestamptz not null,
    kind text not null,
    side int,
    field text,
    before jsonb,
    after jsonb,
    why text not null,
    who text,
    changed_at timestamptz,
    primary key (mirror_id, id)
);
create index journal_link on journal (mirror_id, link_id, id desc);
create index journal_at on journal (at);

create table run_record (
    mirror_id int not null references mirror,
    run_id bigint not null,
    link_id uuid not null,
    outcome text not null,
    primary key (mirror_id, run_id, link_id)
);
