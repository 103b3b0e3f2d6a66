-- Landmarks found in a clip's frames by something other than the coach's hand.

create table track (
    clip_id uuid primary key references clip (id) on delete cascade,
    studio_id uuid not null references studio (id) on delete cascade,
    -- What they were brought from, as it was called.
    file_name text not null check (length(file_name) <= 255),
    -- [{at, role, points}], as in the take document.
    sightings jsonb not null,
    made_at timestamptz not null default now()
);
create index on track (studio_id);
