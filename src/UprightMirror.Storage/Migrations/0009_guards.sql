-- Limits that pause a run before it does something large and unlikely; null: the usual ones.
alter table mirror add guards jsonb;

alter table run drop constraint run_state_check;
alter table run add constraint run_state_check check (state in ('waiting', 'running', 'paused', 'finished', 'failed', 'stopped'));

-- What a guard found, and what a person answered: once, always or stop.
alter table run add guard jsonb, add guard_answer text, add guard_answered_by text, add guard_answered_at timestamptz;
