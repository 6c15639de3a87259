-- A record that the scope of one of its sides does not cover any more is left as it is, until it comes back.
alter table link add not_followed_since timestamptz;
