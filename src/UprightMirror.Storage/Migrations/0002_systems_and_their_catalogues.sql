-- What is known of the systems: what they hold, version by version, how they answer, and who may call them when.

alter table connection drop constraint connection_protocol_check;
alter table connection add constraint connection_protocol_check check (protocol in ('rest', 'odata', 'folder', 'postgresql'));
alter table connection add column created_at timestamptz not null default now();
alter table connection add column secrets_changed_at timestamptz not null default now();

alter table system_health add column clock_ahead_milliseconds bigint;
alter table system_health add column limit_told text;
alter table system_health add column pace double precision;
alter table system_health add column signed_in_until timestamptz;
alter table system_health add column turned_away bigint not null default 0;

-- The last test of each connection.
create table connection_test (
    system text primary key references connection on delete cascade,
    at timestamptz not null,
    steps jsonb not null
);

-- A catalogue as it was read; a new version only when something in it is different.
create table catalogue_version (
    system text not null references connection on delete cascade,
    version int not null,
    read_at timestamptz not null,
    looked_at timestamptz not null,
    collections int not null,
    fields int not null,
    content jsonb not null,
    primary key (system, version)
);

create table catalogue_change (
    system text not null references connection on delete cascade,
    id bigint generated always as identity,
    version int not null,
    at timestamptz not null,
    kind text not null,
    collection text not null,
    field text,
    before text,
    after text,
    seen_by text,
    primary key (system, id)
);

-- What the fields really hold, over the records that were looked at last.
create table field_profile (
    system text not null references connection on delete cascade,
    collection text not null,
    looked_at timestamptz not null,
    records int not null,
    content jsonb not null,
    primary key (system, collection)
);

-- The last calls to each system. Secrets are taken out before they come here.
create table system_call (
    system text not null references connection on delete cascade,
    id bigint generated always as identity,
    at timestamptz not null,
    method text not null,
    address text not null,
    status int,
    milliseconds int not null,
    bytes bigint not null,
    what text not null,
    fault text,
    sent text,
    answered text,
    primary key (system, id)
);

-- When the next call to a system may begin, for all workers together.
create table call_turn (
    system text primary key,
    next_at timestamptz not null
);
