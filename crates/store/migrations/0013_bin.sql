-- A take in the bin is seen nowhere but there.
alter table take add column binned_at timestamptz;
create index on take (binned_at) where binned_at is not null;

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
    left join clip k on k.take_id = t.id and k.angle = 1
    where t.binned_at is null;
