-- Tables that translate codes, shared by mirrors. A change counts from the next run on.
create table code_list (
    name text primary key,
    -- Pairs of a side's code and the agreed value, and what becomes of codes that are not among them.
    content jsonb not null,
    changed_by text not null,
    changed_at timestamptz not null
);
create unique index code_list_name on code_list (lower(name));

-- Pairs of fields that somebody said do not belong together: not suggested again.
create table refused_suggestion (
    mirror_id int not null references mirror on delete cascade,
    left_side int not null,
    left_path text not null,
    right_side int not null,
    right_path text not null,
    who text not null,
    at timestamptz not null,
    primary key (mirror_id, left_side, left_path, right_side, right_path)
);
