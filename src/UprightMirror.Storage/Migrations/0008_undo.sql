-- What an undo of a run goes back to: what was agreed and known of each record before the run decided about it.
create table run_memory (
    mirror_id int not null references mirror,
    run_id bigint not null,
    link_id uuid not null,
    at timestamptz not null,
    agreed jsonb not null,
    sides jsonb not null,
    primary key (mirror_id, link_id, run_id)
);

-- Runs before this one remember nothing that could be gone back to.
alter table run add remembers boolean not null default false, add undone_by text, add undone_at timestamptz;

-- What a run wrote, found by the run.
create index journal_run on journal (mirror_id, run_id, link_id) where kind in ('Written', 'Created', 'Removed');

-- A write that takes a run back; and how a system stored what a creation sent.
alter table delivery add undoes bigint, add stored jsonb;

-- A record that waits for a person to let it go on: not looked at by any run before.
alter table hold add set_aside_by_undo_of bigint;
create index hold_undone on hold (mirror_id, set_aside_by_undo_of) where set_aside_by_undo_of is not null;
