-- What rehearsals would have set aside, kept as long as what they would have written.
create table rehearsed_hold (
    mirror_id int not null references mirror,
    run_id bigint not null,
    n int not null,
    title text not null,
    side int not null,
    record_id text not null,
    field text,
    reason text not null,
    primary key (mirror_id, run_id, n)
);
