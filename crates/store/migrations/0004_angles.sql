-- A take may be filmed by up to four phones. The first angle's clip is the take's own clock.

alter table clip drop constraint clip_take_id_key;
alter table clip add column angle smallint not null default 1 check (angle between 1 and 4);
-- Microseconds of the first angle's clip at which this clip begins.
alter table clip add column offset_us bigint not null default 0 check (abs(offset_us) < 3600000000);
alter table clip add constraint clip_angle unique (take_id, angle);
alter table clip add check (angle > 1 or offset_us = 0);
