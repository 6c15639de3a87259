-- Every reference of every live mirror: what points at a record is looked at again when that record gets another id somewhere, or loses it.
create table pointing (
    mirror_id int not null references mirror on delete cascade,
    reference text not null,
    to_mirror_id int not null references mirror on delete cascade,
    primary key (mirror_id, reference, to_mirror_id)
);
create index pointing_to on pointing (to_mirror_id);

create or replace function linked_record_moved() returns trigger language plpgsql as $$
declare
    of_mirror int := coalesce(new.mirror_id, old.mirror_id);
    of_link uuid := coalesce(new.id, old.id);
    was jsonb := coalesce(old.agreed, '{}');
    became jsonb := coalesce(new.agreed, '{}');
    pointed uuid;
    points uuid;
    look record;
begin
    for look in select distinct reference from pointing where mirror_id = of_mirror loop
        pointed := (was -> look.reference -> 'value' ->> 'link')::uuid;
        points := (became -> look.reference -> 'value' ->> 'link')::uuid;
        if points is null and pointed is not null then
            delete from pointer where mirror_id = of_mirror and reference = look.reference and link_id = of_link;
        elsif points is distinct from pointed then
            insert into pointer (mirror_id, reference, link_id, target) values (of_mirror, look.reference, of_link, points)
            on conflict (mirror_id, reference, link_id) do update set target = excluded.target;
        end if;

        insert into link_due (mirror_id, link_id)
        select distinct a.by_mirror_id, t.target from looked_at a cross join (values (pointed), (points)) t (target)
        where a.mirror_id = of_mirror and a.reference = look.reference and t.target is not null
            and (pointed is distinct from points or was -> a.field -> 'value' is distinct from became -> a.field -> 'value');
    end loop;
    return null;
end $$;

create function member_went() returns trigger language plpgsql as $$
begin
    insert into link_due (mirror_id, link_id)
    select distinct p.mirror_id, p.link_id from pointing g join pointer p on p.mirror_id = g.mirror_id and p.reference = g.reference
    where g.to_mirror_id = old.mirror_id and p.target = old.link_id;
    return null;
end $$;
create trigger member_went after delete on system_record for each row when (old.link_id is not null) execute function member_went();
create trigger member_left after update of link_id on system_record for each row when (old.link_id is not null and old.link_id is distinct from new.link_id) execute function member_went();
