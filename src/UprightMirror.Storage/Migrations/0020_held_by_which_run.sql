-- By which run a record was set aside: only those can be tried again together.
alter table hold add column run_id bigint;
create index hold_run on hold (mirror_id, run_id);
create index hold_since on hold (since);
