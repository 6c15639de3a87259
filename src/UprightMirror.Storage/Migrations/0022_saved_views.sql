-- Searches that people keep, each their own.
create table saved_view (
    id bigint generated always as identity primary key,
    user_id bigint not null references user_account on delete cascade,
    name text not null,
    query text not null,
    unique (user_id, name)
);
