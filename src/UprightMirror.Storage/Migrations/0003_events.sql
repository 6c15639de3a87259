-- What systems tell of by themselves: an address for each that does, and the last events that came there.

create table event_address (
    system text primary key references connection on delete cascade,
    -- The part of the address that nobody can guess.
    token text not null unique,
    -- The header that carries the signature; null where events are not signed.
    signature_header text,
    -- What they are signed with: encrypted, never leaves the server.
    secret text,
    opened_at timestamptz not null
);

create table system_event (
    system text not null references connection on delete cascade,
    id bigint generated always as identity,
    received_at timestamptz not null,
    -- When it happened there, by its own word.
    happened_at timestamptz,
    outcome text not null check (outcome in ('taken', 'again', 'refused')),
    -- The same for every copy of one event.
    fingerprint text not null,
    body text not null,
    run_asked_at timestamptz,
    primary key (system, id)
);
create index system_event_waiting on system_event (received_at) where outcome = 'taken' and run_asked_at is null;
create unique index system_event_same on system_event (system, fingerprint) where outcome = 'taken';
