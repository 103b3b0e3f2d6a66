//! When to look again.

use jiff::civil::Date;

use crate::progress::Status;

/// Weeks to the next look while a fault holds.
const INTERVALS: [i64; 4] = [1, 2, 4, 8];

/// Date of the next look after `today`: the first interval while a fault is being worked on or has
/// slipped back, then expanding with each look that was fine (`fine_looks`), never after the
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
    let date = today.saturating_add(jiff::Span::new().weeks(INTERVALS[step]));
    match performance {
        Some(p) if p <= today => None,
        Some(p) => Some(date.min(p)),
        None => Some(date),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

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
        assert_eq!(next_look(today, Status::Kept, 3, Some(p)), Some(p));
        assert_eq!(next_look(p, Status::Kept, 3, Some(p)), None);
    }
}
