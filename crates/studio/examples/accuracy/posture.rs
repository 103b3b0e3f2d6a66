//! What is compared of a body, read alike from a true and from a solved one.

use nalgebra::Vector3;
use upright_core::body::Landmark;
use upright_core::body::solve::Posture;
use upright_core::units::Foot;
use upright_studio::Body;

use Landmark as L;

/// What a measure reads from a body, true or solved.
pub trait Has {
    /// Place of a landmark, metres.
    fn at(&self, l: Landmark) -> Vector3<f64>;
}

impl Has for Posture<'_> {
    fn at(&self, l: Landmark) -> Vector3<f64> {
        self.joint(l)
    }
}

impl<T: Has> Has for &T {
    fn at(&self, l: Landmark) -> Vector3<f64> {
        (*self).at(l)
    }
}

impl Has for Body {
    fn at(&self, l: Landmark) -> Vector3<f64> {
        self.joint(l).coords
    }
}

/// Half-way between two landmarks.
pub fn middle(b: &impl Has, x: Landmark, y: Landmark) -> Vector3<f64> {
    0.5 * (b.at(x) + b.at(y))
}

/// The way that the shoulders face, along the floor.
pub fn ahead(b: &impl Has) -> Vector3<f64> {
    let line = b.at(L::LeftShoulder) - b.at(L::RightShoulder);
    Vector3::new(line.y, -line.x, 0.0).normalize()
}

/// That way, degrees.
pub fn yaw(b: &impl Has) -> f64 {
    let a = ahead(b);
    a.y.atan2(a.x).to_degrees()
}

/// How far a trunk leans ahead, or to the left, degrees.
pub fn lean(b: &impl Has, sideways: bool) -> f64 {
    let trunk = middle(b, L::LeftShoulder, L::RightShoulder) - middle(b, L::LeftHip, L::RightHip);
    let way = if sideways {
        Vector3::z().cross(&ahead(b))
    } else {
        ahead(b)
    };
    trunk.dot(&way).atan2(trunk.z).to_degrees()
}

/// Angle of an arm, degrees, 180 when straight.
pub fn elbow(b: &impl Has, side: Foot) -> f64 {
    let [s, e, w] = Landmark::arm(side).map(|l| b.at(l));
    (s - e).angle(&(w - e)).to_degrees()
}

/// The middle of a foot.
pub fn foot(b: &impl Has, side: Foot) -> Vector3<f64> {
    let [heel, toe] = Landmark::heel_toe(side);
    middle(b, heel, toe)
}

/// Half-way between the feet.
pub fn stand(b: &impl Has) -> Vector3<f64> {
    0.5 * (foot(b, Foot::Left) + foot(b, Foot::Right))
}
