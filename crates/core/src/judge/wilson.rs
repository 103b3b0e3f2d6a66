//! Interval of a proportion.
//!
//! Wilson, E. B. (1927), "Probable inference, the law of succession, and statistical inference",
//! JASA 22.

/// 95 % interval of the proportion behind `hits` of `of`; [0, 1] when nothing was counted.
pub fn wilson(hits: u32, of: u32) -> [f64; 2] {
    if of == 0 {
        return [0.0, 1.0];
    }
    let (k, n, z) = (f64::from(hits.min(of)), f64::from(of), 1.959_964);
    let p = k / n;
    let scale = 1.0 / (1.0 + z * z / n);
    let middle = scale * (p + z * z / (2.0 * n));
    let half = scale * z * (p * (1.0 - p) / n + z * z / (4.0 * n * n)).sqrt();
    [(middle - half).max(0.0), (middle + half).min(1.0)]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn agrees_with_published_values() {
        // Newcombe, R. G. (1998), Stat. Med. 17, table I: 81/263 and 0/20.
        let [lo, hi] = wilson(81, 263);
        assert!((lo - 0.2553).abs() < 5e-4 && (hi - 0.3662).abs() < 5e-4);
        let [lo, hi] = wilson(0, 20);
        assert!(lo.abs() < 1e-9 && (hi - 0.1611).abs() < 5e-4);
        assert_eq!(wilson(0, 0), [0.0, 1.0]);
    }
}
