-- What the first pages count, counted as it happens: years of history are not read to tell of a week. Counts are only ever added, as rows, so that whoever writes waits for nobody; rows that are no longer new are
-- put together once in a while.

create table journal_count (
    mirror_id int not null references mirror on delete cascade,
    -- The quarter of an hour.
    at timestamptz not null,
    -- written; or how a change was settled: oneSide, byRule, cameToAgree, byPerson.
    what text not null,
    -- For what was written, where; null otherwise.
    side int,
    n int not null
);
create index journal_count_at on journal_count (at) include (mirror_id, what, side, n);

create function journal_what(kind text, why text) returns text[] language sql immutable parallel safe as $$
    select case
        when kind in ('Written', 'Created') then array['written']
        when kind = 'Decided' then array['byPerson']
        when kind = 'ConflictClosed' or (kind = 'Agreed' and why like '%to the same%') then array['cameToAgree']
        when kind = 'Agreed' and why like 'only %' then array['oneSide']
        when kind = 'Agreed' and why not like 'first meeting%' then array['byRule']
    end
$$;

create function journal_is_counted() returns trigger language plpgsql as $$
begin
    insert into journal_count (mirror_id, at, what, side, n)
    select mirror_id, date_bin('15 minutes', at, timestamptz '2000-01-01'), w, case when w = 'written' then side end, count(*)::int from came, unnest(journal_what(kind, why)) w group by 1, 2, 3, 4;
    return null;
end $$;
create trigger journal_is_counted after insert on journal referencing new table as came for each statement execute function journal_is_counted();
insert into journal_count (mirror_id, at, what, side, n)
select mirror_id, date_bin('15 minutes', at, timestamptz '2000-01-01'), w, case when w = 'written' then side end, count(*)::int from journal, unnest(journal_what(kind, why)) w where at > now() - interval '8 days' group by 1, 2, 3, 4;

create table link_count (
    mirror_id int not null references mirror on delete cascade,
    n int not null
);
create index link_count_mirror on link_count (mirror_id);
create function links_are_counted() returns trigger language plpgsql as $$
begin
    if tg_op = 'INSERT' then
        insert into link_count (mirror_id, n) select mirror_id, count(*)::int from moved group by 1;
    else
        insert into link_count (mirror_id, n) select mirror_id, -count(*)::int from moved group by 1;
    end if;
    return null;
end $$;
create trigger links_that_came after insert on link referencing new table as moved for each statement execute function links_are_counted();
create trigger links_that_went after delete on link referencing old table as moved for each statement execute function links_are_counted();
insert into link_count (mirror_id, n) select mirror_id, count(*)::int from link group by 1;

-- Which sides compete, so that conflicts that are alike are counted by an index.
create function sides_of(competing jsonb) returns text language sql immutable parallel safe as $$
    select coalesce(string_agg(k, ',' order by k), '') from jsonb_object_keys(competing) k
$$;
alter table conflict add column sides text generated always as (sides_of(competing)) stored;
create table conflict_count (
    mirror_id int not null references mirror on delete cascade,
    fields text[] not null,
    sides text not null,
    n int not null
);
create function conflicts_are_counted() returns trigger language plpgsql as $$
begin
    if tg_op = 'INSERT' then
        insert into conflict_count (mirror_id, fields, sides, n) select mirror_id, fields, sides, count(*)::int from came where state = 'open' group by 1, 2, 3;
    elsif tg_op = 'DELETE' then
        insert into conflict_count (mirror_id, fields, sides, n) select mirror_id, fields, sides, -count(*)::int from went where state = 'open' group by 1, 2, 3;
    else
        insert into conflict_count (mirror_id, fields, sides, n)
        select mirror_id, fields, sides, sum(n)::int from (
            select mirror_id, fields, sides, 1 as n from came where state = 'open' union all select mirror_id, fields, sides, -1 from went where state = 'open') moved
        group by 1, 2, 3 having sum(n) <> 0;
    end if;
    return null;
end $$;
create trigger conflicts_that_came after insert on conflict referencing new table as came for each statement execute function conflicts_are_counted();
create trigger conflicts_that_went after delete on conflict referencing old table as went for each statement execute function conflicts_are_counted();
create trigger conflicts_that_moved after update on conflict referencing old table as went new table as came for each statement execute function conflicts_are_counted();
insert into conflict_count (mirror_id, fields, sides, n) select mirror_id, fields, sides, count(*)::int from conflict where state = 'open' group by 1, 2, 3;
create index conflict_alike on conflict (mirror_id, fields, sides, opened_at, id) where state = 'open';
create index conflict_link on conflict (mirror_id, link_id) where state = 'open';

-- Records that are gone, which are few, are found among all.
create index system_record_gone on system_record (mirror_id, side, id) where raw is null;
create index run_newest on run (mirror_id, id desc);
