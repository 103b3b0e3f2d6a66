-- Clips that come in piece by piece, so that a broken connection or a reload costs a piece and not the film.

create table upload (
    id uuid primary key,
    studio_id uuid not null references studio on delete cascade,
    take_id uuid not null,
    angle smallint not null check (angle between 1 and 4),
    file_name text not null check (length(file_name) between 1 and 120),
    bytes bigint not null check (bytes > 0),
    -- When the file was last changed on the coach's machine, milliseconds: tells it from another of its name.
    changed_at bigint not null,
    -- What has arrived, and the pieces' keys in the order of the film.
    received bigint not null default 0 check (received between 0 and bytes),
    pieces text[] not null default '{}',
    touched_at timestamptz not null default now(),
    foreign key (studio_id, take_id) references take (studio_id, id) on delete cascade,
    unique (take_id, angle, file_name, bytes, changed_at)
);
create index on upload (touched_at);

-- The same film brought again is recognised by its content.
create index on clip (studio_id, original);
