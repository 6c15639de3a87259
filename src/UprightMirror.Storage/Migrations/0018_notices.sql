-- Whom to tell of what, and what there is to tell: kept until it was sent.

create table site (
    only_one boolean primary key default true check (only_one),
    -- What links in notices begin with.
    address text,
    mail_host text,
    mail_port int,
    mail_security text check (mail_security in ('none', 'startTls', 'tls')),
    mail_account text,
    -- Encrypted; never leaves the server.
    mail_password text,
    mail_from text
);
insert into site default values;

create table notice_rule (
    id int generated always as identity primary key,
    rule jsonb not null,
    -- What calls are signed with: encrypted, never leaves the server.
    secret text,
    is_on boolean not null,
    -- What happened before this is not told.
    since timestamptz not null,
    -- Up to when what happened was looked at.
    looked_at timestamptz,
    made_by text not null
);

create table notice (
    rule_id int not null references notice_rule on delete cascade,
    id bigint generated always as identity,
    -- The same for one thing that happened, however often it is looked at.
    about text not null,
    happened_at timestamptz not null,
    said jsonb not null,
    due_at timestamptz not null,
    state text not null default 'waiting' check (state in ('waiting', 'sent', 'givenUp')),
    tries int not null default 0,
    fault text,
    sent_at timestamptz,
    primary key (rule_id, id),
    unique (rule_id, about)
);
create index notice_due on notice (due_at) where state = 'waiting';
create index notice_happened on notice (happened_at);

-- Since when a system is down, and when it last answered again.
alter table system_health add column down_since timestamptz;
alter table system_health add column up_again_at timestamptz;

-- The last day of what a connection signs in with.
alter table connection add column secrets_end_on date;

create index run_trouble on run (ended_at) where state in ('failed', 'paused');
