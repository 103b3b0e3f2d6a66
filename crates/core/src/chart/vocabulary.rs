//! The closed vocabularies of charts. Each word is the same in the text notation and, with `_` for
//! `-`, in the exchange documents.

use serde::{Deserialize, Serialize};

macro_rules! vocabulary {
    ($(#[$outer:meta])* $name:ident { $($(#[$inner:meta])* $variant:ident = $word:literal,)* }) => {
        $(#[$outer])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        #[serde(rename_all = "snake_case")]
        #[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
        pub enum $name {
            $($(#[$inner])* $variant,)*
        }

        impl $name {
            /// Every word, in the order in which they are listed to people.
            pub const ALL: &'static [Self] = &[$(Self::$variant,)*];

            /// As it is written.
            pub fn word(self) -> &'static str {
                match self {
                    $(Self::$variant => $word,)*
                }
            }

            /// From how it is written.
            pub fn read(word: &str) -> Option<Self> {
                Self::ALL.iter().copied().find(|v| v.word() == word)
            }
        }
    };
}

vocabulary! {
    /// What the foot does.
    Action {
        /// Travels and takes the weight.
        Step = "step",
        /// Comes beside the standing foot and takes the weight.
        Close = "close",
        /// Takes the weight back where it stands.
        Replace = "replace",
        /// Takes the weight under the body, without travelling.
        InPlace = "in-place",
        /// Touches the floor without weight.
        Touch = "touch",
        /// Passes along the floor without weight.
        Brush = "brush",
        /// Swings free of the floor.
        Kick = "kick",
        /// Nothing moves on this count.
        Hold = "hold",
        /// Takes part of the weight and gives it back on the next step.
        Check = "check",
        /// Steps and turns on the foot that arrives.
        Pivot = "pivot",
        /// Closes while the standing foot turns on its heel, then takes the weight.
        HeelTurn = "heel-turn",
        /// The standing foot turns on its ball; no step.
        Swivel = "swivel",
    }
}

impl Action {
    /// Whether the support passes to this foot.
    pub fn takes_weight(self) -> bool {
        !matches!(
            self,
            Self::Touch | Self::Brush | Self::Kick | Self::Hold | Self::Swivel
        )
    }

    /// Whether the foot comes to the floor, so that its arrival can be seen and marked.
    pub fn arrives(self) -> bool {
        self.takes_weight() || self == Self::Touch
    }
}

vocabulary! {
    /// Direction relative to the dancer's own facing before the step.
    Direction {
        /// Ahead.
        Forward = "forward",
        /// Between ahead and left.
        ForwardLeft = "forward-left",
        /// To the left side.
        Left = "left",
        /// Between back and left.
        BackLeft = "back-left",
        /// Backward.
        Back = "back",
        /// Between back and right.
        BackRight = "back-right",
        /// To the right side.
        Right = "right",
        /// Between ahead and right.
        ForwardRight = "forward-right",
        /// Nowhere.
        InPlace = "here",
        /// To the standing foot.
        Collect = "collect",
        /// Across in front of the standing foot.
        CrossFront = "cross-front",
        /// Across behind the standing foot.
        CrossBehind = "cross-behind",
    }
}

impl Direction {
    /// Degrees counter-clockwise from ahead; `None` where the place hangs on the standing foot.
    pub fn degrees(self) -> Option<f64> {
        Some(match self {
            Self::Forward => 0.0,
            Self::ForwardLeft => 45.0,
            Self::Left => 90.0,
            Self::BackLeft => 135.0,
            Self::Back => 180.0,
            Self::BackRight => -135.0,
            Self::Right => -90.0,
            Self::ForwardRight => -45.0,
            Self::InPlace | Self::Collect | Self::CrossFront | Self::CrossBehind => return None,
        })
    }

    /// With left and right exchanged.
    pub fn mirrored(self) -> Self {
        match self {
            Self::ForwardLeft => Self::ForwardRight,
            Self::ForwardRight => Self::ForwardLeft,
            Self::Left => Self::Right,
            Self::Right => Self::Left,
            Self::BackLeft => Self::BackRight,
            Self::BackRight => Self::BackLeft,
            same => same,
        }
    }
}

vocabulary! {
    /// How the couple stand to one another.
    Position {
        /// Facing, joined by hands.
        OpenFacing = "open-facing",
        /// Facing, bodies close, frame joined.
        Closed = "closed",
        /// Facing, chests joined.
        CloseEmbrace = "close-embrace",
        /// Opened like a V toward the leader's left.
        Promenade = "promenade",
        /// Opened like a V toward the leader's right.
        CounterPromenade = "counter-promenade",
        /// Facing the same way, beside each other.
        SideBySide = "side-by-side",
        /// Facing the same way, follower in front.
        Shadow = "shadow",
        /// Follower inside the leader's arm, facing the same way.
        Wrapped = "wrapped",
        /// The follower's arm lies behind the own back.
        ArmLock = "arm-lock",
        /// Facing, stepping outside the partner's feet.
        OutsidePartner = "outside-partner",
        /// No hold.
        Apart = "apart",
    }
}

impl Position {
    /// With left and right exchanged.
    pub fn mirrored(self) -> Self {
        match self {
            Self::Promenade => Self::CounterPromenade,
            Self::CounterPromenade => Self::Promenade,
            same => same,
        }
    }

    /// Whether a hand must hold for the position to be one.
    pub fn needs_hold(self) -> bool {
        !matches!(self, Self::Apart | Self::SideBySide | Self::Shadow)
    }
}

vocabulary! {
    /// A place on the partner's body where a hand lies.
    Spot {
        /// On the shoulder blade.
        ShoulderBlade = "shoulder-blade",
        /// On the upper arm.
        UpperArm = "upper-arm",
        /// On top of the shoulder.
        Shoulder = "shoulder",
        /// At the middle of the back.
        Back = "back",
        /// At the waist.
        Waist = "waist",
    }
}

vocabulary! {
    /// A building block: a few steps that belong together.
    Part {
        /// Steps one after the other in one direction.
        Walk = "walk",
        /// A side step and the other foot closes.
        SideClose = "side-close",
        /// Side, close, side.
        Chasse = "chasse",
        /// Step, close, a smaller step the same way.
        Triple = "triple",
        /// A step and the weight back.
        Rock = "rock",
        /// A check and the weight back.
        CheckBack = "check-back",
        /// One step that turns on its foot.
        PivotStep = "pivot-step",
        /// A step back and a heel turn beside it.
        HeelPull = "heel-pull",
        /// The free foot comes beside the standing one without weight.
        Gather = "gather",
    }
}

vocabulary! {
    /// What of the foot meets the floor first.
    Contact {
        /// The heel.
        Heel = "heel",
        /// The ball.
        Ball = "ball",
        /// The whole foot.
        Whole = "whole",
        /// The tip.
        Toe = "toe",
        /// The inner edge.
        Edge = "edge",
    }
}

vocabulary! {
    /// Height of the body on a count.
    Level {
        /// Going up.
        Rise = "rise",
        /// Staying up.
        Up = "up",
        /// Going down.
        Lower = "lower",
        /// Staying low.
        Down = "down",
        /// Neither.
        Flat = "flat",
    }
}

vocabulary! {
    /// The knee on arrival.
    Leg {
        /// Straight.
        Straight = "straight",
        /// Soft.
        Soft = "soft",
    }
}

vocabulary! {
    /// What is to be felt between the partners on a count.
    Connection {
        /// Neither pull nor push.
        Neutral = "neutral",
        /// Toward each other.
        Compression = "compression",
        /// Away from each other.
        Stretch = "stretch",
        /// No connection wanted.
        Free = "free",
    }
}

vocabulary! {
    /// What a judgement looks for in one role on a count.
    Watchpoint {
        /// By here the dancer has stopped travelling.
        Stop = "stop",
        /// Until here the dancer hangs back.
        Hang = "hang",
        /// Prepares a turn with the opposite one.
        Prep = "prep",
        /// The signal for what follows is given.
        Signal = "signal",
        /// The partner is sent.
        Send = "send",
        /// The foot lands between the partner's feet.
        Between = "between",
        /// The feet pass each other closely.
        Collect = "collect",
    }
}

vocabulary! {
    /// What a judgement looks for in the couple on a count.
    CoupleWatchpoint {
        /// By here the partners have drawn apart.
        Stretch = "stretched",
        /// The partners come together or pass on purpose, so their distance is not judged.
        Together = "together",
    }
}

vocabulary! {
    /// Which feet the partners use at the same time.
    Footing {
        /// The leader's left with the follower's right.
        Opposite = "opposite-feet",
        /// The same foot.
        Same = "same-feet",
        /// It does not matter.
        Either = "any-feet",
    }
}

vocabulary! {
    /// What happens to a hold.
    HoldVerb {
        /// A hold is taken.
        Take = "take",
        /// A hold is caught out of a movement.
        Catch = "catch",
        /// A hold ends.
        Release = "release",
        /// A hold ends on purpose before the next is caught.
        Throw = "throw",
    }
}

impl HoldVerb {
    /// Whether the hold exists afterwards.
    pub fn joins(self) -> bool {
        matches!(self, Self::Take | Self::Catch)
    }
}

vocabulary! {
    /// For whom a figure is mainly practised.
    Practice {
        /// Both alike.
        Both = "both",
        /// The leader has the harder part.
        Leader = "leader",
        /// The follower has the harder part.
        Follower = "follower",
    }
}

vocabulary! {
    /// The checks, by name, so that an exception can name its rule.
    Rule {
        /// The document itself.
        Form = "form",
        /// Counts, beats and who dances on them.
        Counts = "counts",
        /// Which foot carries the weight.
        Weight = "weight",
        /// The partners' feet against each other.
        Footing = "footing",
        /// Sums and streaks of turn.
        Turns = "turns",
        /// Hands: one place each, caught before released.
        Holds = "holds",
        /// The named position against where the bodies are.
        Position = "position",
        /// Whether the hands reach.
        Reach = "reach",
        /// The floor it takes.
        Room = "room",
        /// What can hurt.
        Safety = "safety",
        /// How hard it works.
        Energy = "energy",
        /// Two figures that follow each other.
        Joint = "joint",
    }
}

/// A hand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Hand {
    /// Left.
    Left,
    /// Right.
    Right,
}

impl Hand {
    /// As it is written.
    pub fn word(self) -> &'static str {
        match self {
            Self::Left => "L",
            Self::Right => "R",
        }
    }

    fn read(word: &str) -> Option<Self> {
        match word {
            "L" => Some(Self::Left),
            "R" => Some(Self::Right),
            _ => None,
        }
    }

    /// The other hand.
    pub fn other(self) -> Self {
        match self {
            Self::Left => Self::Right,
            Self::Right => Self::Left,
        }
    }

    /// +1 left, −1 right.
    pub fn side(self) -> f64 {
        match self {
            Self::Left => 1.0,
            Self::Right => -1.0,
        }
    }
}

/// One link between the partners. What is the leader's stands on the left: `L-R` is the leader's left
/// hand with the follower's right, `R>waist` the leader's right hand on the follower's waist,
/// `upper-arm<L` the follower's left hand on the leader's upper arm.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub enum Hold {
    /// Leader's and follower's hand.
    Hands(Hand, Hand),
    /// Leader's hand on the follower.
    LeaderOn(Hand, Spot),
    /// Follower's hand on the leader.
    FollowerOn(Spot, Hand),
}

impl Hold {
    /// From how it is written.
    pub fn read(text: &str) -> Option<Self> {
        if let Some((hand, spot)) = text.split_once('>') {
            return Some(Self::LeaderOn(Hand::read(hand)?, Spot::read(spot)?));
        }
        if let Some((spot, hand)) = text.split_once('<') {
            return Some(Self::FollowerOn(Spot::read(spot)?, Hand::read(hand)?));
        }
        let (l, f) = text.split_once('-')?;
        Some(Self::Hands(Hand::read(l)?, Hand::read(f)?))
    }

    /// The leader's hand in it.
    pub fn leader(self) -> Option<Hand> {
        match self {
            Self::Hands(l, _) | Self::LeaderOn(l, _) => Some(l),
            Self::FollowerOn(..) => None,
        }
    }

    /// The follower's hand in it.
    pub fn follower(self) -> Option<Hand> {
        match self {
            Self::Hands(_, f) | Self::FollowerOn(_, f) => Some(f),
            Self::LeaderOn(..) => None,
        }
    }

    /// Whether both use the same hand of the same person.
    pub fn shares_a_hand(self, other: Self) -> bool {
        let same = |a: Option<Hand>, b: Option<Hand>| a.is_some() && a == b;
        same(self.leader(), other.leader()) || same(self.follower(), other.follower())
    }

    /// With left and right exchanged.
    pub fn mirrored(self) -> Self {
        match self {
            Self::Hands(l, f) => Self::Hands(l.other(), f.other()),
            Self::LeaderOn(l, s) => Self::LeaderOn(l.other(), s),
            Self::FollowerOn(s, f) => Self::FollowerOn(s, f.other()),
        }
    }
}

impl std::fmt::Display for Hold {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Hands(l, r) => write!(f, "{}-{}", l.word(), r.word()),
            Self::LeaderOn(h, s) => write!(f, "{}>{}", h.word(), s.word()),
            Self::FollowerOn(s, h) => write!(f, "{}<{}", s.word(), h.word()),
        }
    }
}

impl TryFrom<String> for Hold {
    type Error = String;

    fn try_from(text: String) -> Result<Self, String> {
        Self::read(&text).ok_or_else(|| {
            format!("“{text}” is no hold; write for example L-R, R>shoulder-blade or upper-arm<L")
        })
    }
}

impl From<Hold> for String {
    fn from(hold: Hold) -> Self {
        hold.to_string()
    }
}

#[cfg(feature = "schema")]
const HOLD_PATTERN: &str = "^([LR]-[LR]|[LR]>(shoulder-blade|upper-arm|shoulder|back|waist)|(shoulder-blade|upper-arm|shoulder|back|waist)<[LR])$";

#[cfg(feature = "schema")]
impl schemars::JsonSchema for Hold {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Hold".into()
    }

    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({
            "type": "string",
            "description": "One link; what is the leader's stands on the left.",
            "pattern": HOLD_PATTERN,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_the_same_in_text_and_exchange() {
        fn same<T: Serialize + Copy>(all: &[T], word: impl Fn(T) -> &'static str) {
            for v in all {
                let json = serde_json::to_string(v).unwrap();
                assert_eq!(json.trim_matches('"').replace('_', "-"), word(*v));
            }
        }
        same(Action::ALL, Action::word);
        same(Position::ALL, Position::word);
        same(Spot::ALL, Spot::word);
        same(Part::ALL, Part::word);
        same(Rule::ALL, Rule::word);
    }

    #[test]
    fn holds_are_read_back() {
        for text in ["L-R", "R-R", "R>shoulder-blade", "upper-arm<L", "L>waist"] {
            assert_eq!(Hold::read(text).unwrap().to_string(), text);
        }
        for text in ["", "L", "L-", "X-R", "R>nose", "waist<", "L>R"] {
            assert_eq!(Hold::read(text), None, "{text}");
        }
        let [a, b] = ["L-R", "R-R"].map(|t| Hold::read(t).unwrap());
        assert!(a.shares_a_hand(b));
        assert!(!a.shares_a_hand(Hold::read("R>waist").unwrap()));
        assert_eq!(a.mirrored().to_string(), "R-L");
    }
}
