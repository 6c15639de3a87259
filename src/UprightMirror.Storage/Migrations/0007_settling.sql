-- When the reading that a mark was taken from began, by our own clock: a system's clock may be put back.
alter table watermark add read_at timestamptz;
update watermark set read_at = at;
alter table watermark alter read_at set not null;

-- A record that the scope of one of its sides does not cover any more is left as it is, until it comes back.
alter table link add not_followed_since timestamptz;

-- A decision can be undone, is learned from, and may say why.
alter table conflict
    add changed jsonb not null default '{}',
    add before jsonb,
    add chosen jsonb,
    add memory jsonb,
    add comment text;
create index conflict_decided on conflict (mirror_id, fields, decided_at desc) where state = 'decided';
