-- Focal length of a full frame's lens that sees as much, millimetres, where the phone wrote it into the file. The playable
-- copy holds nothing of the phone's metadata.
alter table clip add column full_frame_focal double precision;

-- What the coach wants of finding dancers: the larger network, and whom the coach has pointed at.
alter table work add column wanted jsonb not null default '{}';

-- What finding the dancers told besides where they are; nothing for tracks that were brought or found before.
alter table track add column found jsonb;
