-- What records are recognised by where no key says so: how much speaks for two of them being one thing.

-- What each record says where that counts as evidence, and the keys by which those worth comparing with it are found. A block is
-- made of the mirror's id too, so that two mirrors never meet.
create table likeness (
    mirror_id int not null references mirror,
    side int not null,
    id text collate "C" not null,
    evidence text[] not null,
    blocks bigint[] not null,
    primary key (mirror_id, side, id)
);
create index likeness_blocks on likeness using gin (blocks) with (fastupdate = off);

-- Whatever changes what a record says lets its evidence be looked at again.
alter table system_record add column evidence_due boolean not null default true;
create index system_record_evidence_due on system_record (mirror_id, side, id) where evidence_due;
create function evidence_falls_due() returns trigger language plpgsql as $$
begin
    new.evidence_due := true;
    return new;
end $$;
create trigger evidence_falls_due before update of raw on system_record for each row when (old.raw is distinct from new.raw) execute function evidence_falls_due();

-- What was learned from all records of a mirror.
create table match_model (
    mirror_id int primary key references mirror,
    model jsonb not null,
    learned_at timestamptz not null
);

-- How many records of each side have a name. Names that one record has are left out.
create table match_name (
    mirror_id int not null references mirror,
    field int not null,
    name text collate "C" not null,
    by_side int[] not null,
    primary key (mirror_id, field, name)
);

-- Blocks that so many records share that they tell nothing.
create table common_block (
    mirror_id int not null references mirror,
    block bigint not null,
    primary key (mirror_id, block)
);

-- Two records that may be one thing. What a person said of them is remembered for good.
create table look_alike (
    mirror_id int not null references mirror,
    id bigint generated always as identity,
    side_a int not null,
    id_a text collate "C" not null,
    side_b int not null,
    id_b text collate "C" not null,
    likelihood jsonb not null,
    probability double precision not null,
    state text not null default 'open' check (state in ('open', 'same', 'different', 'withdrawn')),
    found_at timestamptz not null,
    put_off_at timestamptz,
    decided_by text,
    decided_at timestamptz,
    primary key (mirror_id, id),
    check ((side_a, id_a) < (side_b, id_b))
);
create unique index look_alike_id on look_alike (id);
create unique index look_alike_pair on look_alike (mirror_id, side_a, id_a, side_b, id_b);
create index look_alike_other on look_alike (mirror_id, side_b, id_b);
create index look_alike_waiting on look_alike (found_at) where state = 'open';

-- A record that was entered twice: it is no longer a record of its own, and counts as the one that was kept.
alter table system_record add column double_of text collate "C";
create index system_record_double on system_record (mirror_id, side, double_of) where double_of is not null;

-- What people decided about which records are one thing, with what it takes to take it back.
create table regrouping (
    mirror_id int not null references mirror,
    id bigint generated always as identity,
    pair_id bigint,
    what text not null check (what in ('same', 'different', 'double', 'apart')),
    who text not null,
    at timestamptz not null,
    -- The links, records and pairs that it touched, as they stood before; and the links that it made.
    before jsonb not null,
    made uuid[] not null,
    undone_by text,
    undone_at timestamptz,
    primary key (mirror_id, id)
);
create unique index regrouping_id on regrouping (id);
create index regrouping_pair on regrouping (mirror_id, pair_id) where undone_at is null;

-- A delivery that does not come from reconciling its link, and is not superseded by that: a double that is marked, a record moved from it.
alter table delivery add column aside boolean not null default false;
