//! The operators.

use pulp::{Arch, Simd};

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
            panels,
            bias,
            then,
        } => {
            let deep = window.kernel[0] * window.kernel[1] * x.shape[2];
            if panels.len() != bias.len().div_ceil(PANEL) * deep {
                return Err(damaged("a convolution's weights do not fit its input"));
            }
            Ok(conv(x, window, panels, bias, *then, scratch))
        }
        Op::Depthwise {
            window,
            weights,
            bias,
            then,
        } => {
            if window.kernel[0] * window.kernel[1] > TAPS {
                return Err(damaged("a depthwise convolution with a large kernel"));
            }
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

/// Convolution as a product of matrices: each output pixel is a row of the inputs under the kernel.
fn conv(
    x: &Value,
    window: &Window,
    panels: &[[f32; PANEL]],
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
    let plain = kh == 1 && kw == 1 && window.stride == [1, 1];
    if !plain {
        let mut columns = std::mem::take(&mut scratch.columns);
        columns.clear();
        columns.resize(pixels * deep, 0.0);
        for y in 0..h {
            let rows = inside(y * window.stride[0], top, kh, ih);
            for c in 0..w {
                let taps = inside(c * window.stride[1], left, kw, iw);
                let sx = c * window.stride[1] + taps.start - left;
                for ky in rows.clone() {
                    let to = (y * w + c) * deep + (ky * kw + taps.start) * ci;
                    let from = ((y * window.stride[0] + ky - top) * iw + sx) * ci;
                    let n = taps.len() * ci;
                    columns[to..to + n].copy_from_slice(&x.data[from..from + n]);
                }
            }
        }
        scratch.columns = columns;
    }
    let source = if plain { &x.data } else { &scratch.columns };
    Arch::new().dispatch(Product {
        rows: &source[..pixels * deep],
        panels,
        bias,
        limits: then.limits(),
        deep,
        out: &mut out,
    });
    Value {
        shape: [h, w, co],
        data: out,
    }
}

/// Output channels that lie together in the weights.
pub(crate) const PANEL: usize = 32;

/// Pixels that are summed at once: with two vectors of channels, as many sums as fit a processor's registers.
const PIXELS: usize = 6;

/// Weights by panel of output channels, input, channel of the panel; zeros fill the last panel.
pub(crate) fn panels(weights: &[f32], co: usize) -> Vec<[f32; PANEL]> {
    let deep = weights.len() / co.max(1);
    let mut out = vec![[0.0; PANEL]; co.div_ceil(PANEL) * deep];
    for (k, row) in weights.chunks_exact(co.max(1)).enumerate() {
        for (p, some) in row.chunks(PANEL).enumerate() {
            out[p * deep + k][..some.len()].copy_from_slice(some);
        }
    }
    out
}

/// Output channels as sums of input channels, pixel by pixel, compiled for what the processor can do.
struct Product<'a> {
    /// By pixel, input channel.
    rows: &'a [f32],
    panels: &'a [[f32; PANEL]],
    bias: &'a [f32],
    limits: [f32; 2],
    deep: usize,
    /// By pixel, output channel.
    out: &'a mut [f32],
}

impl Product<'_> {
    #[inline(always)]
    fn tile<S: Simd, const P: usize>(&mut self, simd: S, panel: usize, part: usize, pixel: usize) {
        let (co, lanes) = (self.bias.len(), S::F32_LANES);
        let mut sums = [[simd.splat_f32s(0.0); 2]; P];
        let rows: [&[f32]; P] = std::array::from_fn(|p| {
            &self.rows[(pixel + p) * self.deep..(pixel + p + 1) * self.deep]
        });
        let weights = &self.panels[panel * self.deep..(panel + 1) * self.deep];
        for (k, w) in weights.iter().enumerate() {
            let w = S::as_simd_f32s(w).0;
            let (Some(a), Some(b)) = (w.get(part), w.get(part + 1)) else {
                return;
            };
            for p in 0..P {
                let s = simd.splat_f32s(rows[p][k]);
                sums[p][0] = simd.mul_add_e_f32s(s, *a, sums[p][0]);
                sums[p][1] = simd.mul_add_e_f32s(s, *b, sums[p][1]);
            }
        }
        let [low, high] = self.limits.map(|l| simd.splat_f32s(l));
        for (p, sums) in sums.iter().enumerate() {
            for (n, sum) in sums.iter().enumerate() {
                let from = panel * PANEL + (part + n) * lanes;
                let to = (from + lanes).min(co);
                if from < to {
                    let v = simd.add_f32s(*sum, simd.partial_load_f32s(&self.bias[from..to]));
                    let v = simd.min_f32s(simd.max_f32s(v, low), high);
                    let row = (pixel + p) * co;
                    store(simd, &mut self.out[row + from..row + to], v);
                }
            }
        }
    }
}

impl pulp::WithSimd for Product<'_> {
    type Output = ();

    #[inline(always)]
    fn with_simd<S: Simd>(mut self, simd: S) {
        let co = self.bias.len();
        let pixels = self.rows.len() / self.deep.max(1);
        let whole = pixels - pixels % PIXELS;
        for panel in 0..co.div_ceil(PANEL) {
            let used = (co - panel * PANEL).min(PANEL);
            for part in (0..used.div_ceil(S::F32_LANES)).step_by(2) {
                for pixel in (0..whole).step_by(PIXELS) {
                    self.tile::<S, PIXELS>(simd, panel, part, pixel);
                }
                for pixel in whole..pixels {
                    self.tile::<S, 1>(simd, panel, part, pixel);
                }
            }
        }
    }
}

/// One vector, whole or the last one that is not.
#[inline(always)]
fn load<S: Simd>(simd: S, from: &[f32]) -> S::f32s {
    match S::as_simd_f32s(from).0.first() {
        Some(v) => *v,
        None => simd.partial_load_f32s(from),
    }
}

#[inline(always)]
fn store<S: Simd>(simd: S, to: &mut [f32], v: S::f32s) {
    match S::as_mut_simd_f32s(to).0.first_mut() {
        Some(whole) => *whole = v,
        None => simd.partial_store_f32s(to, v),
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

impl Depthwise<'_> {
    /// One vector of channels after the other, so that its weights stay in registers.
    #[inline(always)]
    fn run<S: Simd>(self, simd: S, [kh, kw]: [usize; 2]) {
        let [ih, iw, ch] = self.x.shape;
        let ((h, top), (w, left)) = (self.window.along(0, ih), self.window.along(1, iw));
        let [low, high] = self.limits.map(|l| simd.splat_f32s(l));
        for from in (0..ch).step_by(S::F32_LANES) {
            let to = (from + S::F32_LANES).min(ch);
            let bias = load(simd, &self.bias[from..to]);
            let mut taps = [simd.splat_f32s(0.0); TAPS];
            for (k, tap) in taps[..kh * kw].iter_mut().enumerate() {
                *tap = load(simd, &self.weights[k * ch + from..k * ch + to]);
            }
            for y in 0..h {
                let sy = y * self.window.stride[0];
                let all_rows = sy >= top && sy + kh <= ih + top;
                for c in 0..w {
                    let sx = c * self.window.stride[1];
                    let mut sum = bias;
                    if all_rows && sx >= left && sx + kw <= iw + left {
                        for ky in 0..kh {
                            for kx in 0..kw {
                                let at = ((sy + ky - top) * iw + sx + kx - left) * ch;
                                let s = load(simd, &self.x.data[at + from..at + to]);
                                sum = simd.mul_add_e_f32s(s, taps[ky * kw + kx], sum);
                            }
                        }
                    } else {
                        for ky in inside(sy, top, kh, ih) {
                            for kx in inside(sx, left, kw, iw) {
                                let at = ((sy + ky - top) * iw + sx + kx - left) * ch;
                                let s = load(simd, &self.x.data[at + from..at + to]);
                                sum = simd.mul_add_e_f32s(s, taps[ky * kw + kx], sum);
                            }
                        }
                    }
                    let v = simd.min_f32s(simd.max_f32s(sum, low), high);
                    let at = (y * w + c) * ch;
                    store(simd, &mut self.out[at + from..at + to], v);
                }
            }
        }
    }
}

impl pulp::WithSimd for Depthwise<'_> {
    type Output = ();

    #[inline(always)]
    fn with_simd<S: Simd>(self, simd: S) {
        // The usual sizes are unrolled.
        match self.window.kernel {
            [3, 3] => self.run(simd, [3, 3]),
            [5, 5] => self.run(simd, [5, 5]),
            other => self.run(simd, other),
        }
    }
}

/// Most taps of a depthwise kernel.
const TAPS: usize = 25;

/// Which taps of a kernel lie on the picture when it begins `at`, less `zeros`.
fn inside(at: usize, zeros: usize, kernel: usize, length: usize) -> std::ops::Range<usize> {
    let first = zeros.saturating_sub(at);
    first..kernel.min((length + zeros).saturating_sub(at)).max(first)
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
                    panels: panels(&[1.0; 9], 1),
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
                panels: panels(&[1.0, 10.0, 100.0, -1000.0, 0.0, 0.0], 3),
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

    /// The definition, one product after the other: `tap` gives a weight by row, column, input, output.
    fn plain(x: &Value, window: &Window, co: usize, tap: impl Fn([usize; 4]) -> f64) -> Vec<f64> {
        let [ih, iw, ci] = x.shape;
        let ((h, top), (w, left)) = (window.along(0, ih), window.along(1, iw));
        let mut out = Vec::new();
        for (y, c, o) in
            (0..h).flat_map(|y| (0..w).flat_map(move |c| (0..co).map(move |o| (y, c, o))))
        {
            let mut sum = 0.0;
            for ky in 0..window.kernel[0] {
                for kx in 0..window.kernel[1] {
                    let (sy, sx) = (y * window.stride[0] + ky, c * window.stride[1] + kx);
                    if sy < top || sx < left || sy - top >= ih || sx - left >= iw {
                        continue;
                    }
                    for i in 0..ci {
                        let v = x.data[((sy - top) * iw + sx - left) * ci + i];
                        sum += f64::from(v) * tap([ky, kx, i, o]);
                    }
                }
            }
            out.push(sum);
        }
        out
    }

    fn close(made: &[f32], plain: &[f64]) {
        assert_eq!(made.len(), plain.len());
        for (a, b) in made.iter().zip(plain) {
            assert!((f64::from(*a) - b).abs() < 1e-3, "{a} {b}");
        }
    }

    #[test]
    fn vectors_and_panels_that_are_not_full_give_what_the_definition_gives() {
        // Values and weights that repeat nowhere near one another.
        let number = |i: usize| ((i * 7919) % 101) as f32 / 50.0 - 1.0;
        for (size, ci, co) in [([7, 5], 3, 5), ([6, 9], 20, 37), ([4, 4], 33, 64)] {
            for (kernel, stride, padding) in [
                (1, 1, Padding::Same),
                (3, 2, Padding::Same),
                (3, 1, Padding::Valid),
                (4, 1, Padding::Same),
            ] {
                let x = value([size[0], size[1], ci], number);
                let window = window(kernel, stride, padding);
                let weights: Vec<f32> = (0..kernel * kernel * ci * co)
                    .map(|i| number(i + 13))
                    .collect();
                let made = run(
                    &Op::Conv {
                        window,
                        panels: panels(&weights, co),
                        bias: vec![0.0; co],
                        then: Activation::None,
                    },
                    &[&x],
                );
                close(
                    &made.data,
                    &plain(&x, &window, co, |[ky, kx, i, o]| {
                        f64::from(weights[((ky * kernel + kx) * ci + i) * co + o])
                    }),
                );
                let made = run(
                    &Op::Depthwise {
                        window,
                        weights: weights[..kernel * kernel * ci].to_vec(),
                        bias: vec![0.0; ci],
                        then: Activation::None,
                    },
                    &[&x],
                );
                close(
                    &made.data,
                    &plain(&x, &window, ci, |[ky, kx, i, o]| {
                        if i == o {
                            f64::from(weights[(ky * kernel + kx) * ci + i])
                        } else {
                            0.0
                        }
                    }),
                );
            }
        }
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
            panels: panels(&[1.0], 1),
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
