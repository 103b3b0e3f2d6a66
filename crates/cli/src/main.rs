//! The upright-pair program.

mod admin;
mod beats;
mod chart;
mod demo;
mod film;
mod measure;

use std::net::{Ipv4Addr, SocketAddr};
use std::path::PathBuf;
use std::process::ExitCode;

use anyhow::Context as _;
use clap::{Args, Parser, Subcommand};
use tokio::net::TcpListener;
use upright_server::{App, DemoSignIn, Parts, Reach};
use upright_store::{Blobs, NewAccount, Store};

/// Practice video of a couple, measured.
#[derive(Parser)]
#[command(version, about)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serves the application.
    Serve(Serve),
    /// Does the long work of servers on other machines: same database, same files.
    Worker(Place),
    /// Accounts, passwords and files, for whoever runs the server.
    Admin {
        #[command(subcommand)]
        command: admin::Admin,
        #[command(flatten)]
        place: Place,
    },
    /// Prints the beats of a clip's or a track's music, one a line: seconds, number in the bar.
    Beats(beats::Beats),
    /// Prints the OpenAPI document.
    Openapi,
    /// Checks, formats and converts files of figures.
    Chart {
        #[command(subcommand)]
        command: chart::Command,
    },
    /// Renders a simulated take from a scenario (JSON) into a clip, with its truth beside it.
    Studio {
        /// Scenario; missing values are the usual ones.
        scenario: PathBuf,
        /// Clip to write (.mp4, .mov, .mkv).
        clip: PathBuf,
    },
    /// Measures a take document (JSON): prints every measure with its standard error.
    Measure(measure::Measure),
    /// Prints the JSON Schema of a take document.
    TakeSchema,
    /// Prints the JSON Schema of the truth beside a simulated clip, and of its scenario.
    TruthSchema,
}

/// Where everything is kept.
#[derive(Args)]
struct Place {
    /// Folder for files in work and, unless UPRIGHT_BLOBS says otherwise, for all clips.
    #[arg(long, env = "UPRIGHT_DATA", default_value = ".data/studio")]
    data: PathBuf,
    /// PostgreSQL.
    #[arg(long, env = "DATABASE_URL", hide_env_values = true)]
    database_url: String,
    /// Folder for clips, or `s3://bucket/folder` of an S3-compatible store.
    #[arg(long, env = "UPRIGHT_BLOBS")]
    blobs: Option<String>,
    /// Folder of the pose networks, as scripts/models.sh fills it.
    #[arg(long, env = "UPRIGHT_MODELS", default_value = "models/files")]
    models: PathBuf,
}

impl Place {
    async fn open(
        self,
        web: PathBuf,
        demo: Option<DemoSignIn>,
        reach: Reach,
    ) -> anyhow::Result<App> {
        let blobs = match self.blobs {
            Some(place) => Blobs::at(&place)?,
            None => Blobs::in_folder(&self.data.join("blobs"))?,
        };
        Ok(App::new(Parts {
            store: Store::connect(&self.database_url).await?,
            blobs,
            incoming: self.data.join("incoming"),
            models: self.models,
            web,
            demo,
            most_clip: None,
            reach,
        }))
    }
}

#[derive(Args)]
struct Serve {
    /// Loads the demo studio when the database is empty, and shows its sign-in.
    #[arg(long)]
    demo: bool,
    /// Port on loopback.
    #[arg(long, env = "PORT", default_value_t = 8420)]
    port: u16,
    /// Address under which browsers reach it, such as https://hall.example: cookies are for TLS alone then, and other
    /// names are refused.
    #[arg(long, env = "UPRIGHT_URL")]
    url: Option<String>,
    /// IP addresses of proxies that may say who asks (X-Forwarded-For), separated by commas.
    #[arg(long, env = "UPRIGHT_PROXIES", default_value = "")]
    proxies: String,
    #[command(flatten)]
    place: Place,
    /// Folder of the built front end.
    #[arg(long, env = "UPRIGHT_WEB", default_value = "web/dist")]
    web: PathBuf,
}

#[tokio::main]
async fn main() -> anyhow::Result<ExitCode> {
    let filter = tracing_subscriber::EnvFilter::try_from_default_env()
        .unwrap_or_else(|_| "warn,upright_server=info,upright_store=info".into());
    tracing_subscriber::fmt()
        .with_env_filter(filter)
        .with_writer(std::io::stderr)
        .init();
    match Cli::parse().command {
        Command::Serve(s) => serve(s).await?,
        Command::Chart { command } => return chart::run(command),
        Command::Openapi => {
            println!(
                "{}",
                serde_json::to_string_pretty(&upright_server::openapi())?
            );
        }
        Command::Worker(w) => work(w).await?,
        Command::Admin { command, place } => {
            let app = place.open(PathBuf::new(), None, Reach::default()).await?;
            return admin::run(&app, command).await;
        }
        Command::Beats(b) => return beats::run(&b).await,
        Command::Measure(m) => return measure::run(&m),
        Command::TakeSchema => println!(
            "{}",
            serde_json::to_string_pretty(&upright_core::take::exchange::schema())?
        ),
        Command::TruthSchema => println!(
            "{}",
            serde_json::to_string_pretty(&upright_studio::Truth::schema())?
        ),
        Command::Studio { scenario, clip } => film::from_file(&scenario, &clip).await?,
    }
    Ok(ExitCode::SUCCESS)
}

async fn serve(s: Serve) -> anyhow::Result<()> {
    let address = SocketAddr::from((Ipv4Addr::LOCALHOST, s.port));
    // Before the long work, so that a taken port is said at once.
    let listener = TcpListener::bind(address).await.with_context(|| {
        format!(
            "Port {} is taken. Choose another one, for example PORT={}",
            s.port,
            s.port + 1
        )
    })?;
    let data = s.place.data.clone();
    let reach = Reach::new(s.url.as_deref(), &s.proxies).map_err(anyhow::Error::msg)?;
    let app = s
        .place
        .open(s.web, s.demo.then(demo::sign_in), reach)
        .await?;
    if s.demo {
        demo::load(&app, &data).await?;
    } else {
        first_account(&app).await?;
    }
    println!(
        "Upright Pair is ready at http://127.0.0.1:{}",
        listener.local_addr()?.port()
    );
    if s.demo {
        let d = demo::sign_in();
        println!("Demo sign-in: {} with the password {}", d.email, d.password);
    }
    println!("Ctrl-C stops it.");
    upright_server::serve(listener, app.clone(), stop()).await?;
    app.store().close().await;
    Ok(())
}

async fn work(place: Place) -> anyhow::Result<()> {
    let app = place.open(PathBuf::new(), None, Reach::default()).await?;
    println!("Working; Ctrl-C stops it.");
    tokio::select! {
        () = upright_server::jobs::work(app) => {}
        () = stop() => {}
    }
    Ok(())
}

/// Ends on Ctrl-C or on the signal by which services are stopped.
async fn stop() {
    let mut term = match tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()) {
        Ok(t) => t,
        Err(e) => {
            tracing::error!(%e, "no signals; stop with kill -9");
            return std::future::pending().await;
        }
    };
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        _ = term.recv() => {}
    }
}

/// A new studio has one account, whose password is made here and shown once.
async fn first_account(app: &App) -> anyhow::Result<()> {
    const EMAIL: &str = "coach@studio.local";
    if app.store().has_studio().await? {
        return Ok(());
    }
    let password = admin::password();
    let hash = admin::hashed(&password)?;
    let first = NewAccount {
        email: EMAIL,
        name: "Coach",
        password_hash: &hash,
    };
    app.store().create_studio("My studio", None, first).await?;
    println!("First sign-in, shown only now: {EMAIL} with the password {password}");
    Ok(())
}
