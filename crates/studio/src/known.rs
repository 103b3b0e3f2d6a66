//! A performance's dancers as bodies that are known, for comparing what is measured with what is true.

use nalgebra::Point3;
use upright_core::body::Landmark;
use upright_core::body::solve::Bodies;
use upright_core::units::{Foot, Role};

use crate::motion::Performance;

/// Below this height a heel or a toe stands on the floor, metres.
const STANDS: f64 = 0.012;

/// A dancer of a performance, known to 2 mm at 25 moments a second.
pub fn known(performance: &Performance, role: Role) -> Bodies {
    let at: Vec<f64> = (0..(performance.length() * 25.0) as u32)
        .map(|i| 0.04 * f64::from(i))
        .collect();
    let joints: Vec<[Point3<f64>; 19]> = at
        .iter()
        .map(|t| {
            let body = &performance.bodies(*t)[role as usize];
            let mut joints = [Point3::origin(); 19];
            for l in Landmark::ALL {
                joints[l as usize] = body.joint(l);
            }
            joints
        })
        .collect();
    let planted = joints
        .iter()
        .map(|j| {
            [Foot::Left, Foot::Right]
                .map(|f| Landmark::heel_toe(f).map(|l| j[l as usize].z < STANDS))
        })
        .collect();
    let height = performance.scenario().heights[role as usize];
    Bodies::known(height, at, &joints, planted, 0.002)
}
