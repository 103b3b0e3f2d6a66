-- Takes of the simulated studio: what is danced and filmed, until the clip is rendered and after.

create table practice (
    take_id uuid primary key,
    studio_id uuid not null references studio on delete cascade,
    scenario jsonb not null,
    -- The count, the floor and the bodies are marked by the simulated hand as well.
    marked boolean not null,
    foreign key (studio_id, take_id) references take (studio_id, id) on delete cascade
);
