-- Records that a person leaves out for good: no run looks at them until somebody takes them in again.
create table left_out (
    mirror_id int not null references mirror on delete cascade,
    id bigint generated always as identity,
    link_id uuid,
    side int not null,
    record_id text not null,
    title text not null,
    reason text not null,
    why text not null,
    who text not null,
    at timestamptz not null,
    primary key (mirror_id, id)
);
create index left_out_link on left_out (mirror_id, link_id);
create index left_out_record on left_out (mirror_id, side, record_id);
