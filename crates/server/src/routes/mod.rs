//! One resource a file.

mod archive;
mod bench;
mod bin;
mod calendar;
mod charts;
mod clips;
mod compare;
mod corrections;
mod couples;
mod decisions;
mod exchange;
mod faults;
mod floor;
mod health;
mod lessons;
mod links;
mod people;
mod practice;
mod progress;
mod repeat;
mod routines;
mod session;
mod shared;
mod sound;
mod studio;
mod takes;
mod today;
mod uploads;
mod work;

use axum::extract::DefaultBodyLimit;
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::App;

#[derive(OpenApi)]
#[openapi(info(
    title = "Upright Pair",
    description = "Practice video of a couple to measured facts, findings and corrections. Lengths are metres, angles degrees, media time microseconds; errors are problem documents (RFC 9457)."
))]
struct Document;

/// All routes but the upload's own limits.
pub(crate) fn api() -> OpenApiRouter<App> {
    OpenApiRouter::with_openapi(Document::openapi())
        .routes(routes!(health::health))
        .routes(routes!(
            session::session,
            session::sign_in,
            session::sign_out
        ))
        .routes(routes!(session::change_password))
        .routes(routes!(people::list, people::create))
        .routes(routes!(people::read, people::update, bin::erase_person))
        .routes(routes!(bin::erasing))
        .routes(routes!(bin::list))
        .routes(routes!(bin::restore, bin::erase_take))
        .routes(routes!(people::log))
        .routes(routes!(couples::list, couples::create))
        .routes(routes!(couples::set_limit))
        .routes(routes!(couples::set_choices))
        .routes(routes!(charts::list, charts::create))
        .routes(routes!(charts::check))
        .routes(routes!(charts::write))
        .routes(routes!(charts::import))
        .routes(routes!(charts::read, charts::save, charts::remove))
        .routes(routes!(charts::export))
        .routes(routes!(charts::scaled))
        .routes(routes!(routines::list, routines::create))
        .routes(routes!(routines::read, routines::save, routines::remove))
        .routes(routes!(faults::list))
        .routes(routes!(faults::save, faults::remove))
        .routes(routes!(faults::preview))
        .routes(routes!(faults::export, faults::import))
        .routes(routes!(faults::agreement))
        .routes(routes!(studio::make))
        .routes(routes!(studio::faults))
        .routes(routes!(takes::list, takes::create))
        .routes(routes!(takes::read, bin::put))
        .routes(routes!(takes::set_reviewed))
        .routes(routes!(clips::video))
        .routes(routes!(clips::align))
        .routes(routes!(uploads::list, uploads::begin))
        .routes(routes!(floor::near))
        .routes(routes!(floor::before))
        .routes(routes!(sound::beat))
        .routes(routes!(sound::waveform))
        .routes(routes!(sound::align))
        .routes(routes!(work::list))
        .routes(routes!(work::events))
        .routes(routes!(work::find))
        .routes(routes!(work::stop))
        .routes(routes!(work::exchange))
        .routes(routes!(work::sights))
        .routes(routes!(bench::read))
        .routes(routes!(bench::mark))
        .routes(routes!(bench::space))
        .routes(routes!(bench::views))
        .routes(routes!(exchange::document))
        .routes(routes!(exchange::table))
        .routes(routes!(exchange::drop_landmarks))
        .routes(routes!(decisions::decide))
        .routes(routes!(decisions::withdraw))
        .routes(routes!(corrections::change))
        .routes(routes!(corrections::look))
        .routes(routes!(corrections::still))
        .routes(routes!(corrections::span))
        .routes(routes!(corrections::history))
        .routes(routes!(corrections::log))
        .routes(routes!(progress::read))
        .routes(routes!(practice::read))
        .routes(routes!(practice::time))
        .routes(routes!(practice::report, practice::choose))
        .routes(routes!(practice::student_sheet))
        .routes(routes!(calendar::read))
        .routes(routes!(calendar::file))
        .routes(routes!(calendar::practice_file))
        .routes(routes!(lessons::propose))
        .routes(routes!(lessons::create))
        .routes(routes!(lessons::read, lessons::remove))
        .routes(routes!(lessons::end))
        .routes(routes!(lessons::note))
        .routes(routes!(compare::read))
        .routes(routes!(compare::subtitles))
        .routes(routes!(repeat::read))
        .routes(routes!(repeat::frames, repeat::keep))
        .routes(routes!(links::list, links::create))
        .routes(routes!(links::revoke))
        .routes(routes!(shared::read))
        .routes(routes!(shared::report))
        .routes(routes!(shared::still))
        .routes(routes!(shared::span))
        .routes(routes!(shared::feed))
        .routes(routes!(today::today))
}

/// The upload, whose body is streamed to disk and limited there, and which may take its time.
pub(crate) fn upload() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(uploads::whole))
        .routes(routes!(compare::clip))
        .routes(routes!(archive::export, archive::import))
        .layer(DefaultBodyLimit::disable())
        .merge(pieces())
        .merge(documents())
}

/// Pieces of a clip and their joining, which may take longer than other requests.
fn pieces() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(uploads::piece, uploads::read))
        .routes(routes!(uploads::end))
        .layer(DefaultBodyLimit::max(uploads::MOST_PIECE))
}

/// Whole takes as documents, longer than other requests.
fn documents() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(exchange::bring_landmarks))
        .routes(routes!(exchange::measure_document))
        .layer(DefaultBodyLimit::max(exchange::MOST_BODY))
}
