//! The operators.

use nalgebra::{DMatrixView, DMatrixViewMut};
use pulp::Arch;

use super::{NetError, Op, Scratch, Shape, Value};

/// What follows an operator.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Activation {
    None,
    Relu,
    Relu6,
}

impl Activation {
    /// Lowest and highest value let through.
    fn limits(self) -> [f32; 2] {
        match self {
            Self::None => [f32::NEG_INFINITY, f32::INFINITY],
            Self::Relu => [0.0, f32::INFINITY],
            Self::Relu6 => [0.0, 6.0],
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Padding {
    Same,
    Valid,
}

/// How a kernel moves over a picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Window {
    /// Height and width.
    pub kernel: [usize; 2],
    /// Down and to the right.
    pub stride: [usize; 2],
    pub padding: Padding,
}

impl Window {
    /// Size of what comes out along one side, and the zeros before the first pixel.
    fn along(&self, k: usize, length: usize) -> (usize, usize) {
        let (kernel, stride) = (self.kernel[k], self.stride[k]);
        match self.padding {
            Padding::Valid => ((length + stride).saturating_sub(kernel) / stride, 0),
            Padding::Same => {
                let out = length.div_ceil(stride);
                let zeros = ((out - 1) * stride + kernel).saturating_sub(length);
                (out, zeros / 2)
            }
        }
    }
}

impl Window {
    /// Height and width of what comes out of an input of this shape.
    pub(crate) fn over(&self, shape: Shape) -> [usize; 2] {
        [0, 1].map(|k| self.along(k, shape[k]).0)
    }
}

pub(crate) fn apply(op: &Op, inputs: &[&Value], scratch: &mut Scratch) -> Result<Value, NetError> {
    let damaged = |what: &str| NetError::Damaged(what.to_owned());
    let x = inputs
        .first()
        .ok_or_else(|| damaged("an operator without input"))?;
    match op {
        Op::Conv {
            window,
            weights,
            bias,
            then,
        } => {
            if weights.len() != window.kernel[0] * window.kernel[1] * x.shape[2] * bias.len() {
                return Err(damaged("a convolution's weights do not fit its input"));
            }
            Ok(conv(x, window, weights, bias, *then, scratch))
        }
        Op::Depthwise {
            window,
            weights,
            bias,
            then,
        } => {
            if bias.len() != x.shape[2]
                || weights.len() != window.kernel[0] * window.kernel[1] * bias.len()
            {
                return Err(damaged(
                    "a depthwise convolution's weights do not fit its input",
                ));
            }
            let (h, _) = window.along(0, x.shape[0]);
            let (w, _) = window.along(1, x.shape[1]);
            let mut out = scratch.buffer(h * w * x.shape[2]);
            Arch::new().dispatch(Depthwise {
                x,
                window,
                weights,
                bias,
                limits: then.limits(),
                out: &mut out,
            });
            Ok(Value {
                shape: [h, w, x.shape[2]],
                data: out,
            })
        }
        Op::Add(then) => {
            let y = inputs.get(1).ok_or_else(|| damaged("a sum of one value"))?;
            if y.shape != x.shape {
                return Err(damaged("a sum of two sizes"));
            }
            let [low, high] = then.limits();
            let mut out = scratch.buffer(x.data.len());
            for ((o, a), b) in out.iter_mut().zip(&x.data).zip(&y.data) {
                *o = (a + b).clamp(low, high);
            }
            Ok(Value {
                shape: x.shape,
                data: out,
            })
        }
        Op::Resize(to) => Ok(resize(x, *to, scratch)),
        Op::MaxPool(window) => Ok(max_pool(x, window, scratch)),
        Op::Pad(by) => Ok(pad(x, by, scratch)),
        Op::Reshape(shape) => {
            if shape.iter().product::<usize>() != x.data.len() {
                return Err(damaged("a reshape to another size"));
            }
            let mut out = scratch.buffer(x.data.len());
            out.copy_from_slice(&x.data);
            Ok(Value {
                shape: *shape,
                data: out,
            })
        }
        Op::Logistic => {
            let mut out = scratch.buffer(x.data.len());
            for (o, v) in out.iter_mut().zip(&x.data) {
                *o = 1.0 / (1.0 + (-v).exp());
            }
            Ok(Value {
                shape: x.shape,
                data: out,
            })
        }
    }
}

/// Convolution as a product of matrices: each output pixel is a column of the inputs under the kernel.
fn conv(
    x: &Value,
    window: &Window,
    weights: &[f32],
    bias: &[f32],
    then: Activation,
    scratch: &mut Scratch,
) -> Value {
    let [ih, iw, ci] = x.shape;
    let co = bias.len();
    let [kh, kw] = window.kernel;
    let ((h, top), (w, left)) = (window.along(0, ih), window.along(1, iw));
    let (pixels, deep) = (h * w, kh * kw * ci);
    let mut out = scratch.buffer(pixels * co);
    for row in out.chunks_exact_mut(co) {
        row.copy_from_slice(bias);
    }
    let plain = kh == 1 && kw == 1 && window.stride == [1, 1];
    if !plain {
        let mut columns = std::mem::take(&mut scratch.columns);
        columns.clear();
        columns.resize(pixels * deep, 0.0);
        for y in 0..h {
            for ky in 0..kh {
                let Some(sy) = (y * window.stride[0] + ky)
                    .checked_sub(top)
                    .filter(|s| *s < ih)
                else {
                    continue;
                };
                for c in 0..w {
                    for kx in 0..kw {
                        let Some(sx) = (c * window.stride[1] + kx)
                            .checked_sub(left)
                            .filter(|s| *s < iw)
                        else {
                            continue;
                        };
                        let to = (y * w + c) * deep + (ky * kw + kx) * ci;
                        let from = (sy * iw + sx) * ci;
                        columns[to..to + ci].copy_from_slice(&x.data[from..from + ci]);
                    }
                }
            }
        }
        scratch.columns = columns;
    }
    let source = if plain { &x.data } else { &scratch.columns };
    // Rows of channels are columns to the library, which counts down columns first.
    let a = DMatrixView::from_slice(&source[..pixels * deep], deep, pixels);
    let b = DMatrixView::from_slice(weights, co, deep);
    let mut c = DMatrixViewMut::from_slice(&mut out, co, pixels);
    c.gemm(1.0, &b, &a, 1.0);
    if then != Activation::None {
        let [low, high] = then.limits();
        for v in &mut out {
            *v = v.clamp(low, high);
        }
    }
    Value {
        shape: [h, w, co],
        data: out,
    }
}

/// Depthwise convolution, compiled for what the processor can do.
struct Depthwise<'a> {
    x: &'a Value,
    window: &'a Window,
    weights: &'a [f32],
    bias: &'a [f32],
    limits: [f32; 2],
    out: &'a mut [f32],
}

impl pulp::NullaryFnOnce for Depthwise<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let [ih, iw, ch] = self.x.shape;
        let [kh, kw] = self.window.kernel;
        let ((h, top), (w, left)) = (self.window.along(0, ih), self.window.along(1, iw));
        let [low, high] = self.limits;
        for y in 0..h {
            for c in 0..w {
                let to = (y * w + c) * ch;
                let out = &mut self.out[to..to + ch];
                out.copy_from_slice(self.bias);
                for ky in 0..kh {
                    let Some(sy) = (y * self.window.stride[0] + ky)
                        .checked_sub(top)
                        .filter(|s| *s < ih)
                    else {
                        continue;
                    };
                    for kx in 0..kw {
                        let Some(sx) = (c * self.window.stride[1] + kx)
                            .checked_sub(left)
                            .filter(|s| *s < iw)
                        else {
                            continue;
                        };
                        let from = (sy * iw + sx) * ch;
                        let source = &self.x.data[from..from + ch];
                        let weights = &self.weights[(ky * kw + kx) * ch..(ky * kw + kx + 1) * ch];
                        for ((o, s), k) in out.iter_mut().zip(source).zip(weights) {
                            *o += s * k;
                        }
                    }
                }
                for o in out {
                    *o = o.clamp(low, high);
                }
            }
        }
    }
}

fn resize(x: &Value, [h, w]: [usize; 2], scratch: &mut Scratch) -> Value {
    let [ih, iw, ch] = x.shape;
    let mut out = scratch.buffer(h * w * ch);
    // Centre of an output pixel on the input, and the two pixels about it.
    let about = |i: usize, from: usize, to: usize| {
        let at = ((i as f32 + 0.5) * from as f32 / to as f32 - 0.5).max(0.0);
        let low = (at as usize).min(from - 1);
        (low, (low + 1).min(from - 1), at - low as f32)
    };
    for y in 0..h {
        let (y0, y1, fy) = about(y, ih, h);
        for c in 0..w {
            let (x0, x1, fx) = about(c, iw, w);
            let at = |r: usize, c: usize| &x.data[(r * iw + c) * ch..(r * iw + c + 1) * ch];
            let (a, b, d, e) = (at(y0, x0), at(y0, x1), at(y1, x0), at(y1, x1));
            let to = (y * w + c) * ch;
            for (k, o) in out[to..to + ch].iter_mut().enumerate() {
                let upper = a[k] + fx * (b[k] - a[k]);
                let lower = d[k] + fx * (e[k] - d[k]);
                *o = upper + fy * (lower - upper);
            }
        }
    }
    Value {
        shape: [h, w, ch],
        data: out,
    }
}

fn max_pool(x: &Value, window: &Window, scratch: &mut Scratch) -> Value {
    let [ih, iw, ch] = x.shape;
    let [kh, kw] = window.kernel;
    let ((h, top), (w, left)) = (window.along(0, ih), window.along(1, iw));
    let mut out = scratch.buffer(h * w * ch);
    out.fill(f32::NEG_INFINITY);
    for y in 0..h {
        for c in 0..w {
            let to = (y * w + c) * ch;
            for ky in 0..kh {
                for kx in 0..kw {
                    let sy = (y * window.stride[0] + ky)
                        .checked_sub(top)
                        .filter(|s| *s < ih);
                    let sx = (c * window.stride[1] + kx)
                        .checked_sub(left)
                        .filter(|s| *s < iw);
                    if let (Some(sy), Some(sx)) = (sy, sx) {
                        let from = (sy * iw + sx) * ch;
                        for (o, s) in out[to..to + ch].iter_mut().zip(&x.data[from..from + ch]) {
                            *o = o.max(*s);
                        }
                    }
                }
            }
        }
    }
    Value {
        shape: [h, w, ch],
        data: out,
    }
}

fn pad(x: &Value, by: &[[usize; 2]; 3], scratch: &mut Scratch) -> Value {
    let shape: Shape = [0, 1, 2].map(|k| x.shape[k] + by[k][0] + by[k][1]);
    let [ih, iw, ch] = x.shape;
    let mut out = scratch.buffer(shape.iter().product());
    for y in 0..ih {
        for c in 0..iw {
            let to = ((y + by[0][0]) * shape[1] + c + by[1][0]) * shape[2] + by[2][0];
            let from = (y * iw + c) * ch;
            out[to..to + ch].copy_from_slice(&x.data[from..from + ch]);
        }
    }
    Value { shape, data: out }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn value(shape: Shape, data: impl Fn(usize) -> f32) -> Value {
        Value {
            shape,
            data: (0..shape.iter().product()).map(data).collect(),
        }
    }

    fn window(kernel: usize, stride: usize, padding: Padding) -> Window {
        Window {
            kernel: [kernel; 2],
            stride: [stride; 2],
            padding,
        }
    }

    fn run(op: &Op, inputs: &[&Value]) -> Value {
        apply(op, inputs, &mut Scratch::default()).unwrap()
    }

    #[test]
    fn a_kernel_of_ones_adds_what_lies_under_it() {
        let x = value([4, 4, 1], |i| i as f32);
        let ones = |padding, stride| {
            run(
                &Op::Conv {
                    window: window(3, stride, padding),
                    weights: vec![1.0; 9],
                    bias: vec![0.5],
                    then: Activation::None,
                },
                &[&x],
            )
        };
        // Middle pixel 5 and its neighbours: 9 · 5.
        let valid = ones(Padding::Valid, 1);
        assert_eq!(valid.shape, [2, 2, 1]);
        assert_eq!(valid.data, [45.5, 54.5, 81.5, 90.5]);
        // Same: with two pixels a step all the zeros go below and to the right.
        let same = ones(Padding::Same, 2);
        assert_eq!(same.shape, [2, 2, 1]);
        assert_eq!(same.data, [45.5, 39.5, 66.5, 50.5]);
    }

    #[test]
    fn channels_mix_in_a_convolution_and_stay_apart_in_a_depthwise_one() {
        let x = value([1, 2, 2], |i| [1.0, 2.0, 3.0, 4.0][i]);
        let mixed = run(
            &Op::Conv {
                window: window(1, 1, Padding::Same),
                // By input channel, then output channel.
                weights: vec![1.0, 10.0, 100.0, -1000.0, 0.0, 0.0],
                bias: vec![0.0; 3],
                then: Activation::Relu,
            },
            &[&x],
        );
        // Rows of three outputs: weights of input 0 are 1, 10, 100; of input 1 −1000, 0, 0.
        assert_eq!(mixed.data, [0.0, 10.0, 100.0, 0.0, 30.0, 300.0]);
        let apart = run(
            &Op::Depthwise {
                window: window(1, 1, Padding::Same),
                weights: vec![2.0, 3.0],
                bias: vec![0.0, 1.0],
                then: Activation::Relu6,
            },
            &[&x],
        );
        assert_eq!(apart.data, [2.0, 6.0, 6.0, 6.0]);
    }

    #[test]
    fn doubling_a_picture_keeps_its_mean_and_its_edges() {
        let x = value([1, 2, 1], |i| i as f32);
        let twice = run(&Op::Resize([2, 4]), &[&x]);
        assert_eq!(twice.data, [0.0, 0.25, 0.75, 1.0, 0.0, 0.25, 0.75, 1.0]);
    }

    #[test]
    fn the_largest_of_a_window_passes_and_padding_is_zeros() {
        let x = value([2, 2, 1], |i| i as f32 - 5.0);
        let most = run(&Op::MaxPool(window(2, 2, Padding::Same)), &[&x]);
        assert_eq!(most.data, [-2.0]);
        let wide = run(&Op::Pad([[0, 0], [1, 0], [0, 1]]), &[&x]);
        assert_eq!(wide.shape, [2, 3, 2]);
        assert_eq!(
            wide.data,
            [
                0.0, 0.0, -5.0, 0.0, -4.0, 0.0, 0.0, 0.0, -3.0, 0.0, -2.0, 0.0
            ]
        );
    }

    #[test]
    fn weights_that_do_not_fit_are_refused() {
        let x = value([2, 2, 2], |_| 1.0);
        let wrong = Op::Conv {
            window: window(1, 1, Padding::Same),
            weights: vec![1.0],
            bias: vec![0.0],
            then: Activation::None,
        };
        assert!(apply(&wrong, &[&x], &mut Scratch::default()).is_err());
        let other = value([1, 1, 2], |_| 1.0);
        assert!(
            apply(
                &Op::Add(Activation::None),
                &[&x, &other],
                &mut Scratch::default()
            )
            .is_err()
        );
    }
}
