-- Every version of a mirror as it was published, and why.
create table mirror_version (
    mirror_id int not null references mirror on delete cascade,
    version int not null,
    definition jsonb not null,
    comment text not null default '',
    who text not null,
    at timestamptz not null,
    primary key (mirror_id, version)
);

-- When a mirror runs is part of its version from now on.
update mirror set definition = jsonb_set(definition, '{timing}', jsonb_build_object('kind', 'every', 'minutes', every_minutes)) where every_minutes is not null;
update draft_step s set definition = jsonb_set(s.definition, '{timing}', m.definition -> 'timing') from mirror m where m.id = s.mirror_id and m.definition ? 'timing';
alter table mirror drop column every_minutes;

insert into mirror_version (mirror_id, version, definition, comment, who, at)
select id, version, definition, '', 'before versions were kept', created_at from mirror where version > 0;

-- Which version a run was of; a rehearsal may be of a draft.
alter table run add version int, add of_draft boolean not null default false;

-- For a mirror that runs after another: the last run of that one that it has followed.
alter table mirror add followed_run bigint;
