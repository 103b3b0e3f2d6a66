-- Long work on clips as the coach sees it. The queue itself keeps its tables in its own schema and carries
-- only the id.

create table work (
    id uuid primary key,
    studio_id uuid not null references studio (id) on delete cascade,
    clip_id uuid not null references clip (id) on delete cascade,
    -- prepare: make the playable copy; find: find both dancers in every frame.
    kind text not null check (kind in ('prepare', 'find')),
    state text not null check (state in ('waiting', 'running', 'done', 'failed', 'stopped')),
    progress real not null default 0 check (progress between 0 and 1),
    failure text,
    -- How often it was begun: one that takes its worker down with it must not do so for ever.
    attempts integer not null default 0,
    asked_at timestamptz not null default now(),
    begun_at timestamptz,
    ended_at timestamptz
);
create unique index on work (clip_id, kind) where state in ('waiting', 'running');
create index on work (studio_id, clip_id);
