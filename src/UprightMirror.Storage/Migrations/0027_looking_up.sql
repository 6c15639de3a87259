-- What a mirror lets others look up, and the keys by which they do.
create table lookup_offer (
    mirror_id int primary key references mirror on delete cascade,
    is_on boolean not null,
    -- The agreed fields that are given, in their order.
    fields text[] not null,
    per_minute int not null check (per_minute between 1 and 6000)
);

create table lookup_key (
    id bigint generated always as identity primary key,
    mirror_id int not null references mirror on delete cascade,
    name text not null,
    -- Of the key, which nobody keeps.
    hash bytea not null unique,
    made_by text not null,
    made_at timestamptz not null,
    last_used_at timestamptz
);
create index lookup_key_mirror on lookup_key (mirror_id);
