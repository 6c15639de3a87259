-- A search by keys looks through every entry of the index that is not sorted in yet: with a first load's worth of them it took a second. Entries are sorted in at once.
alter index system_record_keys set (fastupdate = off);
