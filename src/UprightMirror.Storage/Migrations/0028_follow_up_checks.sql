-- Conditions that are looked at again and again over a mirror's linked records, and what they flag.
create table follow_up_check (
    id bigint generated always as identity primary key,
    mirror_id int not null references mirror on delete cascade,
    name text not null,
    condition text not null,
    -- Which records of another mirror are listed with each; null for none.
    hanging jsonb,
    timing jsonb not null,
    made_by text not null,
    made_at timestamptz not null,
    -- When it was looked at last, how many records that were, and of how many it could not be told, with the first reason.
    looked_at timestamptz,
    looked int not null default 0,
    untold int not null default 0,
    untold_why text,
    -- Why it can't be looked at at all; null when it can.
    problem text
);
create unique index follow_up_check_name on follow_up_check (mirror_id, lower(name));

create table flag (
    check_id bigint not null references follow_up_check on delete cascade,
    mirror_id int not null,
    link_id uuid not null,
    since timestamptz not null,
    -- What stood in the fields that the condition looks at.
    says jsonb not null,
    -- The records that hang on it: how many, and the first of them.
    hanging_count int not null default 0,
    hanging jsonb not null default '[]',
    -- Somebody said that it is fine as it is: that counts until it says something else.
    fine_by text,
    fine_at timestamptz,
    primary key (check_id, link_id),
    foreign key (mirror_id, link_id) references link (mirror_id, id) on delete cascade
);
create index flag_link on flag (mirror_id, link_id);
create index flag_since on flag (check_id, since) where fine_by is null;
