-- Edits of a mirror before they are published: every step is kept, so that each can be undone and done again.

create table draft (
    mirror_id int primary key references mirror on delete cascade,
    -- The version that it was begun from.
    based_on int not null,
    -- The step that stands; later ones were undone.
    step int not null
);

create table draft_step (
    mirror_id int not null references draft on delete cascade,
    step int not null,
    definition jsonb not null,
    what text not null,
    who text not null,
    at timestamptz not null,
    primary key (mirror_id, step)
);
