-- What rehearsals would have written: those of the last few rehearsals of each mirror are kept.
create table rehearsed_write (
    mirror_id int not null references mirror,
    run_id bigint not null,
    n int not null,
    -- The record's link where it had one before; what was only linked in the rehearsal has none afterwards.
    link_id uuid,
    title text not null,
    side int not null,
    kind text not null,
    record_id text,
    fields jsonb not null,
    primary key (mirror_id, run_id, n)
);
