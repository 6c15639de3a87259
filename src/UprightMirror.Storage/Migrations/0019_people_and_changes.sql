-- Who is signed in where, and every change of settings.

alter table user_account add column is_off boolean not null default false;
-- True while the password is one that somebody else made.
alter table user_account add column must_change boolean not null default false;
alter table user_account add column created_at timestamptz not null default now();

create table user_session (
    id uuid primary key,
    user_id bigint not null references user_account on delete cascade,
    began_at timestamptz not null,
    seen_at timestamptz not null,
    -- What the browser calls itself.
    agent text not null,
    ended_at timestamptz
);
create index user_session_of on user_session (user_id) where ended_at is null;

create table setting_change (
    id bigint generated always as identity primary key,
    at timestamptz not null,
    who text not null,
    what text not null,
    -- What was sent, without its secrets; null where nothing was.
    sent text
);
create index setting_change_who on setting_change (who, id desc);

-- The list is only ever added to.
create function refuse_change() returns trigger language plpgsql as $$
begin
    raise exception 'What is written in the list of changes stays as it is.';
end $$;
create trigger setting_change_stays before update or delete on setting_change for each row execute function refuse_change();
create trigger setting_change_is_kept before truncate on setting_change for each statement execute function refuse_change();
