-- Fields that are worked out of other mirrors' records. Which fields of which mirror are looked at, and by whom.
create table looked_at (
    mirror_id int not null references mirror on delete cascade,
    reference text not null,
    field text not null,
    by_mirror_id int not null references mirror on delete cascade,
    primary key (mirror_id, reference, field, by_mirror_id)
);

-- What the records of a mirror that is looked at point at.
create table pointer (
    mirror_id int not null references mirror on delete cascade,
    reference text not null,
    link_id uuid not null,
    target uuid not null,
    primary key (mirror_id, reference, link_id)
);
create index pointer_target on pointer (mirror_id, reference, target, link_id);

-- Links that something which they look at has moved for. One that is there already may stand for a change that is not committed yet: each change has its own row.
create table link_due (
    id bigint generated always as identity primary key,
    mirror_id int not null references mirror on delete cascade,
    link_id uuid not null
);
create index link_due_mirror on link_due (mirror_id, link_id);

create function linked_record_moved() returns trigger language plpgsql as $$
declare
    of_mirror int := coalesce(new.mirror_id, old.mirror_id);
    of_link uuid := coalesce(new.id, old.id);
    was jsonb := coalesce(old.agreed, '{}');
    became jsonb := coalesce(new.agreed, '{}');
    pointed uuid;
    points uuid;
    look record;
begin
    for look in select distinct reference from looked_at where mirror_id = of_mirror loop
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
create trigger linked_record_came after insert on link for each row when (new.agreed <> '{}') execute function linked_record_moved();
create trigger linked_record_moved after update of agreed on link for each row when (old.agreed is distinct from new.agreed) execute function linked_record_moved();
create trigger linked_record_went after delete on link for each row when (old.agreed <> '{}') execute function linked_record_moved();
