-- Addresses that records are sent to, one for each collection of a system that sends them itself; the queue of what came there, and what is known by it.

create table inbox (
    id int generated always as identity primary key,
    system text not null references connection on delete cascade,
    collection text not null,
    -- The part of the address that nobody can guess.
    token text not null unique,
    admits text not null check (admits in ('open', 'key', 'signed')),
    -- The header that carries the key or the signature; null where anybody may send.
    header text,
    -- The key, or what is signed with: encrypted, never leaves the server.
    secret text,
    -- Where the record stands within an event, what tells one record from another, and when the event happened.
    record_field text,
    id_field text not null,
    time_field text,
    opened_at timestamptz not null,
    unique (system, collection)
);

create table inbox_event (
    inbox_id int not null references inbox on delete cascade,
    id bigint generated always as identity,
    received_at timestamptz not null,
    -- When it happened, by its own word; when it came, where it does not say.
    said_at timestamptz not null,
    outcome text not null check (outcome in ('taken', 'again', 'refused')),
    -- Why it was refused.
    reason text,
    -- How it was written: JSON, a form, XML, or as a CloudEvent.
    form text not null,
    record_id text,
    -- The same for every copy of one event; null where nothing tells a copy from another event.
    fingerprint text,
    -- The record that it says; what came, where it was refused.
    body text not null,
    -- When it was worked through, and whether the record is now as it says, or was known newer.
    worked_at timestamptz,
    was_older boolean,
    -- When the mirrors of its system were run because of it.
    run_asked_at timestamptz,
    primary key (inbox_id, id)
);
create index inbox_event_waiting on inbox_event (id) where outcome = 'taken' and worked_at is null;
create index inbox_event_to_run on inbox_event (id) where worked_at is not null and run_asked_at is null;
create unique index inbox_event_same on inbox_event (inbox_id, fingerprint) where outcome = 'taken';
create index inbox_event_age on inbox_event (received_at);

create table inbox_record (
    inbox_id int not null references inbox on delete cascade,
    record_id text not null,
    said_at timestamptz not null,
    -- Decides between two events of one moment, whichever came first.
    tie text not null,
    body text not null,
    changed_at timestamptz not null,
    primary key (inbox_id, record_id)
);
create index inbox_record_changed on inbox_record (inbox_id, changed_at);

-- Runs that nobody asked for and whose process ended in the middle are taken up by another worker.
alter table run add by_itself boolean not null default false;
alter table run add cut_off boolean not null default false;
create index run_cut_off on run (mirror_id, id) where by_itself and cut_off;

alter table connection drop constraint connection_protocol_check;
alter table connection add constraint connection_protocol_check check (protocol in ('rest', 'odata', 'folder', 'postgresql', 'events'));
