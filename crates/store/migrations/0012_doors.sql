-- What lists of a studio's years ask for. A correction's looks were read whole for each of them.
create index on look (correction_id);
create index on look (studio_id, looked_on);
create index on practice_report (studio_id, practised_on);
create index on couple (studio_id, follower_id);
create index on session (studio_id, held_on);
create index on take (studio_id, created_at);
create index on clip (studio_id);
create index on mark_entry (studio_id);
create index on take_fault (studio_id, fault);
create index on decision (studio_id, at);
create index on correction (studio_id, take_id);
create index on correction (studio_id, decision_id);
create index on correction (studio_id, created_at);
create index on correction_change (studio_id);
create index on remark (take_id);
create index on account (studio_id);
create index on sign_in_failure (at);
