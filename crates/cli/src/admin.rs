//! What whoever runs the server does at its command line.

use std::collections::BTreeSet;
use std::process::ExitCode;

use anyhow::Context as _;
use clap::Subcommand;
use upright_server::App;
use upright_server::auth::hash_password;
use upright_store::NewAccount;
use uuid::Uuid;

/// Length of a SHA-256 in hexadecimal.
const HASH: usize = 64;

#[derive(Subcommand)]
pub enum Admin {
    /// Lists every account with its studio.
    List,
    /// Makes a studio with its first account; the password is printed once.
    Studio {
        /// Name of the studio.
        name: String,
        /// Sign-in name of its owner.
        email: String,
        /// The owner's name.
        #[arg(long, default_value = "Coach")]
        owner: String,
    },
    /// Gives an account a new password, printed once; whoever is signed in with it is signed out.
    Reset {
        /// Sign-in name.
        email: String,
    },
    /// Forgets ended sign-ins and old tries to sign in.
    Sweep,
    /// Checks that every file that a studio names is there with the content it is named by, and that every file is
    /// named; fails where something is missing or changed.
    Verify,
}

/// A password that nobody has chosen.
pub fn password() -> String {
    Uuid::new_v4().simple().to_string()[..16].to_owned()
}

pub fn hashed(password: &str) -> anyhow::Result<String> {
    hash_password(password).map_err(|p| anyhow::anyhow!(p.detail))
}

pub async fn run(app: &App, command: Admin) -> anyhow::Result<ExitCode> {
    let store = app.store();
    match command {
        Admin::List => {
            for (account, studio, takes) in store.everybody().await? {
                println!(
                    "{}\t{}\t{studio}\t{takes} takes",
                    account.email, account.name
                );
            }
        }
        Admin::Studio { name, email, owner } => {
            let password = password();
            let hash = hashed(&password)?;
            let first = NewAccount {
                email: &email,
                name: &owner,
                password_hash: &hash,
            };
            store.create_studio(&name, None, first).await?;
            println!("{email} signs in with the password {password}");
        }
        Admin::Reset { email } => {
            let account = store.account_by_email(&email).await?;
            let account = account.with_context(|| format!("Nobody signs in as {email}."))?;
            let password = password();
            store.set_password(account.id, &hashed(&password)?).await?;
            println!("{} signs in with the password {password}", account.email);
        }
        Admin::Sweep => store.sweep().await?,
        Admin::Verify => return verify(app).await,
    }
    Ok(ExitCode::SUCCESS)
}

/// What is wrong with the files, a line each.
async fn verify(app: &App) -> anyhow::Result<ExitCode> {
    let named: BTreeSet<String> = app.store().named_files().await?.into_iter().collect();
    let there: BTreeSet<String> = app.blobs().keys().await?.into_iter().collect();
    let mut wrong = 0;
    for key in &named {
        if !there.contains(key) {
            println!("missing\t{key}");
            wrong += 1;
            continue;
        }
        // Uploads and files of archives are named by their content.
        let name = key.rsplit('/').next().unwrap_or_default();
        let by_content = name.len() == HASH && name.bytes().all(|b| b.is_ascii_hexdigit());
        if by_content && app.blobs().hash(key).await? != name {
            println!("changed\t{key}");
            wrong += 1;
        }
    }
    // Pieces of uploads on their way and cut clips are nobody's rows.
    for key in there.difference(&named) {
        if key.starts_with("original/") || key.starts_with("proxy/") || by_studio(key) {
            println!("named by nobody\t{key}");
        }
    }
    println!("{} files named, {wrong} wrong", named.len());
    Ok(if wrong == 0 {
        ExitCode::SUCCESS
    } else {
        ExitCode::FAILURE
    })
}

/// Whether a file came in with an archive.
fn by_studio(key: &str) -> bool {
    key.split_once('/')
        .is_some_and(|(studio, _)| Uuid::try_parse(studio).is_ok())
}
