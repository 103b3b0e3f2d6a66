use super::*;
use crate::fault::fault;

pub(super) fn band(id: &str) -> Band {
    fault(id).unwrap().band.unwrap()
}

pub(super) fn takes(values: &[f64], sigma: f64) -> Vec<TakeReading> {
    let first = jiff::civil::date(2026, 1, 10);
    values
        .iter()
        .enumerate()
        .map(|(i, v)| TakeReading {
            date: first.saturating_add(jiff::Span::new().days(7 * i as i64)),
            value: Estimate::new(*v, sigma),
            showing: 0,
            of: 4,
            told: false,
            conditions: Conditions::default(),
        })
        .collect()
}

#[test]
fn real_improvement_is_told() {
    let p = progress(
        &band("P1"),
        takes(&[7.1, 7.4, 6.4, 5.6, 4.8, 4.0, 3.4, 3.2], 0.6),
        None,
    )
    .unwrap();
    assert_eq!(p.answer, Answer::Better);
    assert!((p.smallest_real_change - 1.96 * 0.6).abs() < 1e-9);
    assert_eq!(p.real_from, Some(3));
    assert!(p.trend.unwrap().per_week < -0.4);
}

#[test]
fn a_difference_inside_the_error_is_no_change() {
    let p = progress(&band("P1"), takes(&[6.0, 4.9], 0.6), None).unwrap();
    assert_eq!(p.answer, Answer::NoChangeThatCanBeTold);
    assert_eq!(p.real_from, None);
    let one = progress(&band("P1"), takes(&[6.0], 0.6), None).unwrap();
    assert_eq!(one.answer, Answer::OneTake);
    assert!(progress(&band("P1"), vec![], None).is_none());
}

#[test]
fn both_edges_of_a_band_mean_the_same() {
    let f = &band("S4");
    let p = progress(f, takes(&[-0.4, -0.1], 0.02), None).unwrap();
    assert_eq!(p.answer, Answer::Better);
    let p = progress(f, takes(&[0.1, -0.4], 0.02), None).unwrap();
    assert_eq!(p.answer, Answer::Worse);
}

#[test]
fn a_relapse_is_compared_with_when_it_held() {
    let p = progress(
        &band("P1"),
        takes(&[9.0, 8.6, 5.0, 2.4, 2.2, 2.1, 4.0, 8.4], 0.6),
        None,
    )
    .unwrap();
    assert_eq!(
        (p.status, p.against),
        (Status::SlippedBack, Against::WhenItHeld)
    );
    assert_eq!(p.answer, Answer::Worse);
    assert!((p.before.value - 2.15).abs() < 1e-9);
    assert!((p.now.value - 6.2).abs() < 1e-9);
    assert_eq!(p.real_from, Some(6));
}

#[test]
fn takes_of_one_day_are_one_session() {
    let mut all = takes(&[9.0, 1.0, 1.0, 1.0], 0.3);
    let day = all[1].date;
    // Two fine takes on one day are one fine session: it does not hold yet.
    all[2].date = day;
    all[3].date = day;
    let status = |t: &[TakeReading]| progress(&band("P1"), t.to_vec(), None).unwrap().status;
    assert_eq!(status(&all), Status::Working);
    all[3].date = day.saturating_add(jiff::Span::new().days(7));
    assert_eq!(status(&all), Status::Holding);
    // One faulty take makes its day a faulty one.
    all[2].value.value = 9.0;
    assert_eq!(status(&all), Status::Working);
}

#[test]
fn a_fault_that_stays_is_said_to_be_unmoved_after_four_takes() {
    let unmoved = |v: &[f64]| progress(&band("P1"), takes(v, 0.4), None).unwrap().unmoved;
    assert!(unmoved(&[8.0, 8.2, 7.9, 8.1]));
    assert!(!unmoved(&[8.0, 8.2, 7.9]));
    assert!(!unmoved(&[8.0, 8.2, 6.0, 5.0]));
    assert!(!unmoved(&[1.0, 1.2, 0.9, 1.1]));
}
