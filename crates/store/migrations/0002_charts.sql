-- A studio's own figures, as text, and its routines.

create table own_chart (
    studio_id uuid not null references studio on delete cascade,
    -- The figure's short name, by which takes and routines know it.
    id text not null check (length(id) between 2 and 48),
    -- In the text notation, as the coach left it: it may hold mistakes.
    text text not null check (length(text) <= 60000),
    version integer not null default 1,
    changed_at timestamptz not null default now(),
    primary key (studio_id, id)
);

create table routine (
    id uuid primary key,
    studio_id uuid not null references studio on delete cascade,
    name text not null check (length(name) between 1 and 120),
    plan jsonb not null,
    version integer not null default 1,
    changed_at timestamptz not null default now(),
    unique (studio_id, id)
);
