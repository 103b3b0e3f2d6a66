//! When to look again.

use jiff::Span;
use jiff::civil::Date;

use crate::progress::Status;

/// Weeks to the next look while a fault holds.
const INTERVALS: [i64; 4] = [1, 2, 4, 8];

/// Looks at one person on one day, so that a lesson is not all looks.
const A_DAY: usize = 2;

/// How far a look may be put off for that, days.
const PUT_OFF: i64 = 6;

/// Date of the next look after `today`: the first interval while a fault is being worked on or has
/// slipped back, then expanding with each look that was fine (`fine_looks`), at the latest on the day before the
/// performance. `None` when the performance is over or today.
pub fn next_look(
    today: Date,
    status: Status,
    fine_looks: usize,
    performance: Option<Date>,
) -> Option<Date> {
    let step = match status {
        Status::New | Status::Working | Status::SlippedBack => 0,
        Status::Holding | Status::Kept | Status::NeverAFault => fine_looks.min(INTERVALS.len() - 1),
    };
    let date = today.saturating_add(Span::new().weeks(INTERVALS[step]));
    match performance {
        Some(p) if p <= today => None,
        Some(p) => Some(date.min(latest(today, p))),
        None => Some(date),
    }
}

/// The last day for a look: the one before the performance, or its own when that is tomorrow.
fn latest(today: Date, performance: Date) -> Date {
    let before = performance.yesterday().unwrap_or(performance);
    if before > today { before } else { performance }
}

/// Settles a look that is due on a day among the person's other looks (`taken`): on the first lesson from that
/// day on where one is planned within the week, else on the day itself; a day that has enough looks passes it
/// on to the next one, and one that would come after the performance is taken earlier instead. Never before
/// `today`, never after the performance.
pub fn settle(
    due: Date,
    taken: &[Date],
    lessons: &[Date],
    today: Date,
    performance: Option<Date>,
) -> Date {
    let last = performance
        .map_or(Date::MAX, |p| latest(today, p))
        .max(today);
    let allowed = |d: &Date| *d >= today && *d <= last;
    let due = due.clamp(today, last);
    let full = |d: &Date| taken.iter().filter(|t| *t == d).count() >= A_DAY;
    let later = |days: i64| due.saturating_add(Span::new().days(days));
    let mut lessons: Vec<Date> = lessons.iter().copied().filter(allowed).collect();
    lessons.sort();
    let soon = lessons
        .iter()
        .filter(|d| **d >= due && **d <= later(PUT_OFF));
    let days = (0..=PUT_OFF)
        .chain((-PUT_OFF..0).rev())
        .map(later)
        .filter(allowed);
    soon.copied().chain(days).find(|d| !full(d)).unwrap_or(due)
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;
    use proptest::prelude::*;

    #[test]
    fn looks_expand_while_it_holds_and_start_again_on_a_slip() {
        let today = date(2026, 3, 7);
        let next = |s, n| next_look(today, s, n, None).unwrap();
        assert_eq!(next(Status::Working, 3), date(2026, 3, 14));
        assert_eq!(next(Status::Holding, 1), date(2026, 3, 21));
        assert_eq!(next(Status::Kept, 2), date(2026, 4, 4));
        assert_eq!(next(Status::Kept, 99), date(2026, 5, 2));
        assert_eq!(next(Status::SlippedBack, 3), date(2026, 3, 14));
    }

    #[test]
    fn never_after_the_performance() {
        let today = date(2026, 3, 7);
        let p = date(2026, 3, 20);
        assert_eq!(
            next_look(today, Status::Kept, 3, Some(p)),
            Some(date(2026, 3, 19))
        );
        let tomorrow = date(2026, 3, 8);
        assert_eq!(
            next_look(today, Status::Kept, 3, Some(tomorrow)),
            Some(tomorrow)
        );
        assert_eq!(next_look(p, Status::Kept, 3, Some(p)), None);
    }

    #[test]
    fn a_look_goes_to_the_lesson_and_a_full_day_passes_it_on() {
        let today = date(2026, 3, 7);
        let due = date(2026, 3, 14);
        let at = |taken: &[Date], lessons: &[Date], p| settle(due, taken, lessons, today, p);
        assert_eq!(at(&[], &[], None), due);
        assert_eq!(
            at(&[], &[date(2026, 3, 12), date(2026, 3, 16)], None),
            date(2026, 3, 16)
        );
        assert_eq!(at(&[], &[date(2026, 3, 30)], None), due);
        assert_eq!(at(&[due], &[], None), due);
        assert_eq!(at(&[due, due], &[], None), date(2026, 3, 15));
        assert_eq!(
            at(&[due, due], &[], Some(date(2026, 3, 15))),
            date(2026, 3, 13)
        );
    }

    proptest! {
        #[test]
        fn always_between_today_and_the_performance(
            due in -5i64..90,
            taken in prop::collection::vec(-2i64..60, 0..30),
            lessons in prop::collection::vec(-2i64..60, 0..8),
            evening in prop::option::of(0i64..60),
        ) {
            let today = date(2026, 3, 7);
            let day = |n: i64| today.saturating_add(Span::new().days(n));
            let all = |v: &[i64]| v.iter().map(|n| day(*n)).collect::<Vec<_>>();
            let performance = evening.map(day);
            let taken = all(&taken);
            let on = settle(day(due), &taken, &all(&lessons), today, performance);
            prop_assert!(on >= today);
            prop_assert!(performance.is_none_or(|p| on <= p));
            // Not onto a full day while one of the days about it has room.
            let room = |d: &Date| taken.iter().filter(|t| *t == d).count() < A_DAY;
            let near = (0..=PUT_OFF).map(|n| day(due.max(0) + n)).filter(|d| performance.is_none_or(|p| *d < p));
            if near.clone().any(|d| room(&d)) {
                prop_assert!(room(&on), "{on}");
            }
        }
    }
}
