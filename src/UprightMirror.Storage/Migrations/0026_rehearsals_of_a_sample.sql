-- Of a rehearsal that looked at some records only: how many. Null for all.
alter table run add column sampled int;
