//! The cells of a count's line.

use winnow::ascii::{dec_uint, float, space0, space1};
use winnow::combinator::{alt, eof, opt, preceded, repeat, terminated};
use winnow::error::{StrContext, StrContextValue};
use winnow::prelude::*;
use winnow::token::take_while;

use crate::chart::draft::{CoupleEntry, Does, HoldChange, StepEntry};
use crate::chart::vocabulary::{
    Connection, Contact, CoupleWatchpoint, Direction, Footing, Hold, HoldVerb, Leg, Level,
    Position, Watchpoint,
};
use crate::units::Foot;

fn expected(what: &'static str) -> StrContext {
    StrContext::Expected(StrContextValue::Description(what))
}

/// One word that means something to `read`.
fn word<'a, T>(
    read: impl Fn(&str) -> Option<T>,
) -> impl Parser<&'a str, T, winnow::error::ErrMode<winnow::error::ContextError>> {
    take_while(1.., |c: char| !c.is_whitespace()).verify_map(move |w: &str| read(w))
}

enum Modifier {
    Direction(Direction),
    Size(f64),
    Steps(u8),
    Turn(i32, Option<i32>),
    Freely,
    Contact(Contact),
    Level(Level),
    Leg(Leg),
    Judge(Watchpoint),
}

fn foot(input: &mut &str) -> ModalResult<Foot> {
    alt(("L".value(Foot::Left), "R".value(Foot::Right))).parse_next(input)
}

/// `40%` or `12.5%`, as a share.
fn size(input: &mut &str) -> ModalResult<f64> {
    let digits = take_while(1..=6, |c: char| c.is_ascii_digit() || c == '.');
    terminated(digits.and_then(float::<_, f64, _>), '%')
        .verify_map(|v| v.is_finite().then(|| (v * 10.0).round() / 1000.0))
        .parse_next(input)
}

/// `<3/8` or `>3/8`: eighths, positive to the left.
fn side_turn(input: &mut &str) -> ModalResult<i32> {
    let sign = alt(('<'.value(1), '>'.value(-1)));
    (sign, terminated(dec_uint::<_, u32, _>, "/8"))
        .verify_map(|(sign, n): (i32, u32)| (n <= 16).then(|| sign * n as i32))
        .parse_next(input)
}

/// A turn, and after two points the second stage's, on the same side unless it names its own.
fn turn(input: &mut &str) -> ModalResult<(i32, Option<i32>)> {
    let to_left = input.starts_with('<');
    let first = side_turn.parse_next(input)?;
    let same_side = terminated(dec_uint::<_, u32, _>, "/8")
        .verify_map(move |n| (n <= 16).then(|| if to_left { n as i32 } else { -(n as i32) }));
    let second = opt(preceded("..", alt((side_turn, same_side)))).parse_next(input)?;
    Ok((first, second))
}

fn modifier(input: &mut &str) -> ModalResult<Modifier> {
    let end = |input: &mut &str| -> ModalResult<()> {
        if input.is_empty() || input.starts_with(char::is_whitespace) {
            Ok(())
        } else {
            winnow::combinator::fail.parse_next(input)
        }
    };
    terminated(
        alt((
            size.map(Modifier::Size),
            turn.map(|(t, s)| Modifier::Turn(t, s)),
            preceded('x', dec_uint::<_, u8, _>).map(Modifier::Steps),
            preceded('!', word(Watchpoint::read)).map(Modifier::Judge),
            word(|w| (w == "freely").then_some(Modifier::Freely)),
            word(|w| Direction::read(w).map(Modifier::Direction)),
            word(|w| Contact::read(w).map(Modifier::Contact)),
            word(|w| Level::read(w).map(Modifier::Level)),
            word(|w| Leg::read(w).map(Modifier::Leg)),
        )),
        end,
    )
    .parse_next(input)
}

/// What a role's cell holds.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum RoleCell {
    /// Nothing.
    Empty,
    /// The block above goes on.
    GoesOn,
    /// An entry.
    Entry(StepEntry),
}

/// A role's cell.
pub(super) fn role_cell(input: &mut &str) -> ModalResult<RoleCell> {
    space0.parse_next(input)?;
    if opt((alt(("-", "–")), space0, eof))
        .parse_next(input)?
        .is_some()
        || input.is_empty()
    {
        return Ok(RoleCell::Empty);
    }
    if opt(('"', space0, eof)).parse_next(input)?.is_some() {
        return Ok(RoleCell::GoesOn);
    }
    let foot = terminated(foot, space1)
        .context(expected("a foot, L or R, and what it does"))
        .parse_next(input)?;
    let does = word(Does::read)
        .context(expected(
            "an action (step, close, replace, in-place, touch, brush, kick, hold, check, pivot, heel-turn, swivel) or a block (walk, side-close, chasse, triple, rock, check-back, pivot-step, heel-pull, gather)",
        ))
        .parse_next(input)?;
    let modifiers: Vec<Modifier> = repeat(0.., preceded(space1, modifier)).parse_next(input)?;
    space0.parse_next(input)?;
    eof.context(expected(
        "a direction, a size such as 40%, a turn such as <1/8 (left) or >2/8 (right), x3 for a walk's steps, a contact, rise or knee, freely, or a landmark such as !stop",
    ))
    .parse_next(input)?;
    let mut e = StepEntry::new(0, foot, does);
    for m in modifiers {
        match m {
            Modifier::Direction(d) => e.direction = Some(d),
            Modifier::Size(s) => e.size = s,
            Modifier::Steps(n) => e.steps = Some(n),
            Modifier::Turn(t, second) => (e.turn, e.second_turn) = (t, second),
            Modifier::Freely => e.turns_freely = true,
            Modifier::Contact(c) => e.contact = Some(c),
            Modifier::Level(l) => e.level = Some(l),
            Modifier::Leg(l) => e.leg = Some(l),
            Modifier::Judge(j) => e.judge.push(j),
        }
    }
    Ok(RoleCell::Entry(e))
}

enum Token {
    Position(Position),
    Change(Vec<HoldChange>),
    Connection(Connection),
    Footing(Footing),
    Judge(CoupleWatchpoint),
    Dip,
    Optional,
    OpenEnded,
}

fn hold(input: &mut &str) -> ModalResult<Hold> {
    word(Hold::read)
        .context(expected(
            "a hold such as L-R, R>shoulder-blade or upper-arm<L (the leader's on the left)",
        ))
        .parse_next(input)
}

fn token(input: &mut &str) -> ModalResult<Token> {
    if let Some(verb) = opt(terminated(word(HoldVerb::read), space1)).parse_next(input)? {
        let hold = winnow::combinator::cut_err(hold).parse_next(input)?;
        return Ok(Token::Change(vec![HoldChange { verb, hold }]));
    }
    if opt(terminated("change", space1))
        .parse_next(input)?
        .is_some()
    {
        let old = winnow::combinator::cut_err(terminated(hold, space1)).parse_next(input)?;
        let new = winnow::combinator::cut_err(hold).parse_next(input)?;
        return Ok(Token::Change(vec![
            HoldChange {
                verb: HoldVerb::Take,
                hold: new,
            },
            HoldChange {
                verb: HoldVerb::Release,
                hold: old,
            },
        ]));
    }
    word(|w| {
        Position::read(w)
            .map(Token::Position)
            .or_else(|| Connection::read(w).map(Token::Connection))
            .or_else(|| Footing::read(w).map(Token::Footing))
            .or_else(|| CoupleWatchpoint::read(w.strip_prefix('!')?).map(Token::Judge))
            .or(match w {
                "dip" => Some(Token::Dip),
                "optional" => Some(Token::Optional),
                "open-ended" => Some(Token::OpenEnded),
                _ => None,
            })
    })
    .parse_next(input)
}

/// The couple's cell; `None` when it is empty.
pub(super) fn couple_cell(input: &mut &str) -> ModalResult<Option<CoupleEntry>> {
    space0.parse_next(input)?;
    let tokens: Vec<Token> =
        repeat(0.., terminated(token, alt((space1.void(), eof.void())))).parse_next(input)?;
    eof.context(expected(
        "a position (open-facing, closed, …), take, catch, release, throw or change with a hold, a connection (neutral, compression, stretch, free), same-feet, opposite-feet, any-feet, !stretched, !together, dip, optional or open-ended",
    ))
    .parse_next(input)?;
    if tokens.is_empty() {
        return Ok(None);
    }
    let mut c = CoupleEntry::default();
    for t in tokens {
        match t {
            Token::Position(p) => c.position = Some(p),
            Token::Change(h) => c.holds.extend(h),
            Token::Connection(x) => c.connection = Some(x),
            Token::Footing(x) => c.footing = Some(x),
            Token::Judge(j) => c.judge.push(j),
            Token::Dip => c.dip = true,
            Token::Optional => c.optional = true,
            Token::OpenEnded => c.open_ended = true,
        }
    }
    Ok(Some(c))
}
