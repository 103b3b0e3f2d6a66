-- By what couples are judged, what the studio adds to the catalogue, and the history of corrections.

alter table couple add column choices jsonb not null default '{}';

create or replace view couple_list as
    select c.studio_id, c.id, c.leader_id, c.follower_id, l.name as leader, f.name as follower,
           l.height as leader_height, f.height as follower_height, c.frame_limit, c.version, c.choices
    from couple c
    join person l on l.id = c.leader_id
    join person f on f.id = c.follower_id;

-- An entry of the studio's own, or one that stands in for the catalogue's of the same id.
create table own_fault (
    studio_id uuid not null references studio,
    id text not null check (length(id) between 1 and 8),
    entry jsonb not null,
    version integer not null default 1,
    changed_at timestamptz not null default now(),
    primary key (studio_id, id)
);

-- The band that judged, so that progress is told against it, and how sure the judgement was.
alter table take_fault
    add column band jsonb,
    add column measure text,
    add column probability double precision;

-- How sure the tool was when the coach decided: its score is kept from this. Absent for what only the
-- coach saw.
alter table decision add column probability double precision;

-- What a correction said before each change.
create table correction_change (
    studio_id uuid not null,
    correction_id uuid not null,
    version integer not null,
    cue text not null,
    drill text not null,
    drill_step integer not null,
    recheck_on date,
    account_id uuid references account,
    at timestamptz not null default now(),
    primary key (correction_id, version),
    foreign key (studio_id, correction_id) references correction (studio_id, id)
);

alter table correction
    add column words tsvector generated always as
        (to_tsvector('simple', cue || ' ' || drill || ' ' || target || ' ' || coalesce(caution, ''))) stored;
create index correction_words on correction using gin (words);

-- A take filmed from several angles is one take: its first clip stands for it in lists.
create or replace view take_list as
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
    left join clip k on k.take_id = t.id and k.angle = 1;
