-- Every row belongs to a studio; composite foreign keys keep rows of two studios from meeting.

create table studio (
    id uuid primary key,
    name text not null check (length(name) between 1 and 120),
    event text,
    event_on date,
    created_at timestamptz not null default now()
);

create table account (
    id uuid primary key,
    studio_id uuid not null references studio,
    email text not null check (length(email) between 3 and 254),
    name text not null check (length(name) between 1 and 120),
    password_hash text not null,
    created_at timestamptz not null default now()
);
create unique index account_email on account (lower(email));

create table login (
    id text primary key,
    data jsonb not null,
    expires_at timestamptz not null
);
create index login_expiry on login (expires_at);

create table sign_in_failure (
    who text not null,
    at timestamptz not null default now()
);
create index sign_in_failure_who on sign_in_failure (who, at);

create table person (
    id uuid primary key,
    studio_id uuid not null references studio,
    name text not null check (length(name) between 1 and 120),
    height double precision not null check (height between 1.0 and 2.3),
    note text not null default '' check (length(note) <= 2000),
    consent boolean not null default false,
    version integer not null default 1,
    created_at timestamptz not null default now(),
    unique (studio_id, id)
);

create table couple (
    id uuid primary key,
    studio_id uuid not null references studio,
    leader_id uuid not null,
    follower_id uuid not null,
    frame_limit double precision check (frame_limit between 0.4 and 2.5),
    version integer not null default 1,
    created_at timestamptz not null default now(),
    unique (studio_id, id),
    unique (studio_id, leader_id, follower_id),
    check (leader_id <> follower_id),
    foreign key (studio_id, leader_id) references person (studio_id, id),
    foreign key (studio_id, follower_id) references person (studio_id, id)
);

create table session (
    id uuid primary key,
    studio_id uuid not null references studio,
    couple_id uuid not null,
    held_on date not null,
    place text not null default '' check (length(place) <= 120),
    unique (studio_id, id),
    unique (studio_id, couple_id, held_on, place),
    foreign key (studio_id, couple_id) references couple (studio_id, id)
);

create table take (
    id uuid primary key,
    studio_id uuid not null references studio,
    session_id uuid not null,
    number integer not null check (number > 0),
    -- What the newest analysis says, so that lists need not run it again.
    chart text,
    repetitions integer not null default 0,
    tempo double precision,
    chart_ready boolean not null default false,
    count_ready boolean not null default false,
    floor_ready boolean not null default false,
    bodies_ready boolean not null default false,
    reviewed_at timestamptz,
    created_at timestamptz not null default now(),
    unique (studio_id, id),
    unique (session_id, number),
    foreign key (studio_id, session_id) references session (studio_id, id)
);

create table clip (
    id uuid primary key,
    studio_id uuid not null references studio,
    take_id uuid not null unique,
    state text not null check (state in ('preparing', 'ready', 'failed', 'not_kept')),
    progress real not null default 0,
    failure text,
    file_name text not null,
    bytes bigint not null,
    original text,
    proxy text,
    width integer not null,
    height integer not null,
    -- Container time of the first frame, and every frame's microseconds after it.
    start_us bigint not null default 0,
    frame_times bigint[] not null default '{}',
    created_at timestamptz not null default now(),
    foreign key (studio_id, take_id) references take (studio_id, id)
);

-- Append-only: undo is an entry like any other.
create table mark_entry (
    studio_id uuid not null,
    take_id uuid not null,
    seq integer not null check (seq > 0),
    entry jsonb not null,
    account_id uuid references account,
    at timestamptz not null default now(),
    primary key (take_id, seq),
    foreign key (studio_id, take_id) references take (studio_id, id)
);

-- What each take's newest analysis judged; progress reads it.
create table take_fault (
    studio_id uuid not null,
    take_id uuid not null,
    fault text not null,
    role text not null check (role in ('leader', 'follower', 'couple')),
    value double precision not null,
    sigma double precision not null,
    showing integer not null,
    measured integer not null,
    offered boolean not null,
    primary key (take_id, fault, role),
    foreign key (studio_id, take_id) references take (studio_id, id)
);

create table decision (
    id uuid primary key,
    studio_id uuid not null references studio,
    take_id uuid not null,
    fault text not null,
    role text not null check (role in ('leader', 'follower', 'couple')),
    verdict text not null check (verdict in ('confirmed', 'dismissed')),
    reason text not null default '' check (length(reason) <= 1000),
    account_id uuid references account,
    at timestamptz not null default now(),
    withdrawn_at timestamptz,
    unique (studio_id, id),
    foreign key (studio_id, take_id) references take (studio_id, id)
);
create unique index decision_standing on decision (take_id, fault, role) where withdrawn_at is null;

create table correction (
    id uuid primary key,
    studio_id uuid not null references studio,
    decision_id uuid not null,
    take_id uuid not null,
    person_id uuid not null,
    role text not null check (role in ('leader', 'follower')),
    fault text not null,
    chart text not null,
    count text,
    value double precision not null,
    sigma double precision not null,
    unit text not null,
    showing integer not null,
    measured integer not null,
    cue text not null check (length(cue) <= 1000),
    drill text not null check (length(drill) <= 1000),
    drill_step integer not null check (drill_step >= 1),
    target text not null,
    caution text,
    recheck_on date,
    version integer not null default 1,
    created_at timestamptz not null default now(),
    withdrawn_at timestamptz,
    unique (studio_id, id),
    foreign key (studio_id, decision_id) references decision (studio_id, id),
    foreign key (studio_id, take_id) references take (studio_id, id),
    foreign key (studio_id, person_id) references person (studio_id, id)
);
create index correction_person on correction (studio_id, person_id, created_at);
create index correction_due on correction (studio_id, recheck_on) where withdrawn_at is null;

create table look (
    id uuid primary key,
    studio_id uuid not null references studio,
    correction_id uuid not null,
    looked_on date not null,
    fine boolean not null,
    at timestamptz not null default now(),
    foreign key (studio_id, correction_id) references correction (studio_id, id)
);

create view couple_list as
    select c.studio_id, c.id, c.leader_id, c.follower_id, l.name as leader, f.name as follower,
           l.height as leader_height, f.height as follower_height, c.frame_limit, c.version
    from couple c
    join person l on l.id = c.leader_id
    join person f on f.id = c.follower_id;

create view take_list as
    select t.studio_id, t.id, s.couple_id, c.leader_id, c.follower_id, c.leader, c.follower,
           s.held_on, s.place, t.number, t.chart, t.repetitions, t.tempo,
           t.chart_ready, t.count_ready, t.floor_ready, t.bodies_ready,
           k.state as clip, t.reviewed_at is not null as reviewed, t.created_at,
           (select count(*) from take_fault j
             where j.take_id = t.id and j.offered and not exists (
                 select 1 from decision d
                 where d.take_id = j.take_id and d.fault = j.fault and d.role = j.role
                   and d.withdrawn_at is null)) as open_findings
    from take t
    join session s on s.id = t.session_id
    join couple_list c on c.id = s.couple_id
    left join clip k on k.take_id = t.id;
