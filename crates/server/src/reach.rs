//! From where the server is reached: its public address, and the proxies that say who asks.

use std::net::IpAddr;
use std::sync::Arc;

use axum::extract::{Request, State};
use axum::http::header::HOST;
use axum::http::{HeaderMap, HeaderValue, header};
use axum::middleware::Next;
use axum::response::{IntoResponse as _, Response};

use crate::App;
use crate::problem::Problem;

/// How browsers reach the server. By default: on loopback, without TLS, by whatever name.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Reach {
    https: bool,
    /// Host and port of the public address, in small letters.
    host: Option<String>,
    proxies: Arc<[IpAddr]>,
}

impl Reach {
    /// From the public address (`https://hall.example`) and the addresses of trusted proxies, separated by commas.
    pub fn new(address: Option<&str>, proxies: &str) -> Result<Self, String> {
        let (https, host) = match address.map(|a| a.trim().trim_end_matches('/')) {
            None | Some("") => (false, None),
            Some(a) => {
                let (scheme, host) = a.split_once("://").unwrap_or_default();
                let plain = !host.is_empty() && !host.contains(['/', '@', '?', '#']);
                if !["http", "https"].contains(&scheme) || !plain {
                    return Err(format!(
                        "“{a}” is no address of a site. Give it as https://hall.example, without a path."
                    ));
                }
                (scheme == "https", Some(host.to_lowercase()))
            }
        };
        let proxies = proxies.split(',').map(str::trim).filter(|p| !p.is_empty());
        let one = |p: &str| {
            let address: Result<IpAddr, _> = p.parse();
            address.map_err(|_| format!("“{p}” is no IP address of a proxy."))
        };
        Ok(Self {
            https,
            host,
            proxies: proxies.map(one).collect::<Result<_, _>>()?,
        })
    }

    /// Whether browsers come through TLS.
    pub fn https(&self) -> bool {
        self.https
    }

    /// Who asks. What a request says of that counts only where it comes from a trusted proxy, and then as far back as
    /// trusted ones say it.
    pub fn client(&self, from: IpAddr, headers: &HeaderMap) -> IpAddr {
        let said = headers.get_all("x-forwarded-for").iter();
        let said: Vec<&str> = said
            .filter_map(|v| v.to_str().ok())
            .flat_map(|v| v.split(','))
            .map(str::trim)
            .collect();
        let mut who = from;
        for before in said.iter().rev() {
            if !self.proxies.contains(&who) {
                break;
            }
            let Ok(address) = before.parse() else { break };
            who = address;
        }
        who
    }

    /// Whether a request asks for a name of ours: without a public address by any, else by that one or by loopback.
    fn answers_to(&self, host: Option<&str>) -> bool {
        let Some(own) = &self.host else { return true };
        let Some(asked) = host.map(str::to_lowercase) else {
            return false;
        };
        let name = asked
            .rsplit_once(':')
            .map_or(asked.as_str(), |(name, port)| {
                if port.bytes().all(|b| b.is_ascii_digit()) {
                    name
                } else {
                    asked.as_str()
                }
            });
        asked == *own || ["127.0.0.1", "localhost", "[::1]"].contains(&name)
    }
}

/// Refuses what asks for somebody else's name, and tells browsers to come back by TLS where that is how they came.
pub async fn guard(State(app): State<App>, request: Request, next: Next) -> Response {
    let reach = app.reach();
    let host = request.headers().get(HOST).and_then(|v| v.to_str().ok());
    let host = host.or_else(|| request.uri().authority().map(|a| a.as_str()));
    if !reach.answers_to(host) {
        return Problem::misdirected().into_response();
    }
    let mut response = next.run(request).await;
    if reach.https() {
        response.headers_mut().insert(
            header::STRICT_TRANSPORT_SECURITY,
            HeaderValue::from_static("max-age=31536000"),
        );
    }
    response
}

#[cfg(test)]
mod tests {
    use super::*;

    fn forwarded(all: &[&str]) -> HeaderMap {
        let mut headers = HeaderMap::new();
        for one in all {
            headers.append("x-forwarded-for", one.parse().unwrap());
        }
        headers
    }

    #[test]
    fn only_a_trusted_proxy_says_who_asks() {
        let proxy: IpAddr = "10.0.0.1".parse().unwrap();
        let stranger: IpAddr = "192.0.2.7".parse().unwrap();
        let reach = Reach::new(None, "10.0.0.1, 10.0.0.2").unwrap();
        let of = |from: IpAddr, said: &[&str]| reach.client(from, &forwarded(said)).to_string();
        assert_eq!(of(stranger, &["198.51.100.1"]), "192.0.2.7");
        assert_eq!(of(proxy, &["198.51.100.1"]), "198.51.100.1");
        // What the client itself wrote before the proxy's word is not believed.
        assert_eq!(of(proxy, &["203.0.113.9, 198.51.100.1"]), "198.51.100.1");
        assert_eq!(
            of(proxy, &["203.0.113.9", "198.51.100.1, 10.0.0.2"]),
            "198.51.100.1"
        );
        assert_eq!(of(proxy, &["nobody"]), "10.0.0.1");
        assert_eq!(of(proxy, &[]), "10.0.0.1");
        assert_eq!(
            Reach::default().client(proxy, &forwarded(&["198.51.100.1"])),
            proxy
        );
    }

    #[test]
    fn it_answers_to_its_own_name_and_on_loopback() {
        let reach = Reach::new(Some("https://Hall.example/"), "").unwrap();
        assert!(reach.https());
        for own in [
            "hall.example",
            "HALL.example",
            "127.0.0.1:8420",
            "localhost:1",
            "[::1]:8420",
            "localhost",
        ] {
            assert!(reach.answers_to(Some(own)), "{own}");
        }
        for other in [
            "elsewhere.example",
            "hall.example:444",
            "hall.example.elsewhere",
            "localhost.elsewhere:80",
            "",
        ] {
            assert!(!reach.answers_to(Some(other)), "{other}");
        }
        assert!(!reach.answers_to(None));
        assert!(Reach::default().answers_to(Some("anything")));
    }

    #[test]
    fn an_address_that_is_none_is_said() {
        for wrong in [
            "hall.example",
            "ftp://hall.example",
            "https://",
            "https://hall.example/app",
            "https://me@hall.example",
        ] {
            assert!(
                Reach::new(Some(wrong), "")
                    .unwrap_err()
                    .contains("https://"),
                "{wrong}"
            );
        }
        assert!(
            Reach::new(None, "10.0.0.1,proxy")
                .unwrap_err()
                .contains("proxy")
        );
        assert_eq!(Reach::new(Some(""), " ").unwrap(), Reach::default());
    }
}
