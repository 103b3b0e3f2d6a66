//! What opens a private address.

use base64::Engine as _;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;

use crate::problem::Problem;

/// 128 random bits from the operating system, in 22 letters that an address can hold.
pub fn secret() -> Result<String, Problem> {
    let mut bits = [0u8; 16];
    getrandom::fill(&mut bits).map_err(|e| Problem::internal(&e))?;
    Ok(URL_SAFE_NO_PAD.encode(bits))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn secrets_are_long_and_never_the_same() {
        let all: Vec<String> = (0..100).map(|_| secret().unwrap()).collect();
        assert!(all.iter().all(|s| s.len() == 22));
        let distinct: std::collections::HashSet<_> = all.iter().collect();
        assert_eq!(distinct.len(), 100);
    }
}
