-- When a side was last looked through whole for records that are gone; where it tells removals itself, it never is.
alter table watermark add swept_at timestamptz;
update watermark set swept_at = at;
