-- What a run told as it went, line by line.
create table run_line (
    run_id bigint not null,
    n int not null,
    at timestamptz not null,
    level text not null check (level in ('info', 'warning', 'error')),
    text text not null,
    primary key (run_id, n)
);
create index run_line_at on run_line (at);

-- Where its time went: by stage, and by kind of call to each system.
alter table run add column spent jsonb;

-- For how many days what runs told is kept.
alter table site add column run_lines_days int not null default 90 check (run_lines_days between 1 and 3650);
