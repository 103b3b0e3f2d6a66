-- Under which conditions takes were danced, what is practised and how it goes, lessons, links for students and
-- calendars, and how well the coach's own marking repeats.

alter table session
    add column floor text not null default '' check (length(floor) <= 120),
    add column shoes text not null default '' check (length(shoes) <= 120);

-- From where each calibrated phone looks at the floor reference, degrees.
alter table take add column bearings double precision[] not null default '{}';

create or replace view take_list as
    select t.studio_id, t.id, s.couple_id, c.leader_id, c.follower_id, c.leader, c.follower,
           s.held_on, s.place, t.number, t.chart, t.repetitions, t.tempo,
           t.chart_ready, t.count_ready, t.floor_ready, t.bodies_ready,
           k.state as clip, t.reviewed_at is not null as reviewed, t.created_at,
           (select count(*) from take_fault j
             where j.take_id = t.id and j.offered and not exists (
                 select 1 from decision d
                 where d.take_id = j.take_id and d.fault = j.fault and d.role = j.role
                   and d.withdrawn_at is null)) as open_findings,
           s.floor, s.shoes
    from take t
    join session s on s.id = t.session_id
    join couple_list c on c.id = s.couple_id
    left join clip k on k.take_id = t.id and k.angle = 1;

alter table correction
    -- Part of the practice weeks.
    add column practised boolean not null default true,
    -- Reports of pain up to this moment were spoken about: the drill may go on.
    add column cleared_at timestamptz;

-- How a practice went, told by the student (over a link) or by the coach.
create table practice_report (
    id uuid primary key,
    studio_id uuid not null references studio on delete cascade,
    correction_id uuid not null,
    practised_on date not null,
    how text not null check (how in ('fine', 'hard', 'pain')),
    at timestamptz not null default now(),
    unique (correction_id, practised_on),
    foreign key (studio_id, correction_id) references correction (studio_id, id)
);

-- Minutes that a person has for practice, Monday to Sunday.
create table practice_time (
    person_id uuid primary key,
    studio_id uuid not null references studio on delete cascade,
    minutes smallint[] not null check (cardinality(minutes) = 7),
    foreign key (studio_id, person_id) references person (studio_id, id)
);

-- A private address. Only the hash of its random part is kept.
create table link (
    id uuid primary key,
    studio_id uuid not null references studio on delete cascade,
    hash bytea not null unique,
    kind text not null check (kind in ('sheet', 'calendar')),
    person_id uuid,
    created_at timestamptz not null default now(),
    expires_at timestamptz not null,
    revoked_at timestamptz,
    opened_at timestamptz,
    check (kind <> 'sheet' or person_id is not null),
    foreign key (studio_id, person_id) references person (studio_id, id)
);
create index on link (studio_id, person_id);

create table lesson (
    id uuid primary key,
    studio_id uuid not null references studio on delete cascade,
    held_on date not null,
    begins_at time,
    minutes smallint not null check (minutes between 15 and 240),
    couples uuid[] not null check (cardinality(couples) between 1 and 12),
    -- Blocks and what is left out, as planned or as the coach changed it.
    plan jsonb not null,
    ended_at timestamptz,
    version integer not null default 1,
    created_at timestamptz not null default now(),
    unique (studio_id, id)
);
create index on lesson (studio_id, held_on);

-- Frames marked again without seeing the first marks: the readings of both, by measure.
create table remark (
    id uuid primary key,
    studio_id uuid not null references studio on delete cascade,
    take_id uuid not null,
    marked_on date not null,
    readings jsonb not null,
    at timestamptz not null default now(),
    foreign key (studio_id, take_id) references take (studio_id, id)
);
create index on remark (studio_id);
