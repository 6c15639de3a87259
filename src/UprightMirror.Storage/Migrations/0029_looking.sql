-- A check that is being looked at is left alone by others until then: one whose process ended meanwhile is looked at again.
alter table follow_up_check add column looking_until timestamptz;
