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
    /// Zeros before and after, above and below the picture and at its sides.
    Zeros([[usize; 2]; 2]),
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
            Padding::Zeros(about) => {
                let all = length + about[k][0] + about[k][1];
                ((all + stride).saturating_sub(kernel) / stride, about[k][0])
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
            let depthwise = Depthwise {
                x,
                window,
                weights,
                bias,
                limits: then.limits(),
                out: &mut out,
            };
            match Arch::new() {
                // Vectors that the channels do not fill cost more than shorter ones.
                #[cfg(target_arch = "x86_64")]
                Arch::V4(simd) if !x.shape[2].is_multiple_of(16) => {
                    let shorter: pulp::x86::V3 = *simd;
                    pulp::Simd::vectorize(shorter, depthwise);
                }
                simd => simd.dispatch(depthwise),
            }
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

/// Inputs that are laid out at once for a convolution's kernel: as many as a processor keeps near.
const NEAR: usize = 1 << 16;

/// Convolution as a product of matrices: each output pixel is a row of the inputs under the kernel.
fn conv(
    x: &Value,
    window: &Window,
    panels: &[Panel],
    bias: &[f32],
    then: Activation,
    scratch: &mut Scratch,
) -> Value {
    let [ih, iw, ci] = x.shape;
    let co = bias.len();
    let [kh, kw] = window.kernel;
    let ((h, top), (w, left)) = (window.along(0, ih), window.along(1, iw));
    let deep = kh * kw * ci;
    let mut out = scratch.buffer(h * w * co);
    let product = |rows: &[f32], out: &mut [f32]| {
        Arch::new().dispatch(Product {
            rows,
            panels,
            bias,
            limits: then.limits(),
            deep,
            out,
        });
    };
    if [kh, kw] == [1, 1] && [h, w] == [ih, iw] {
        product(&x.data, &mut out);
    } else {
        let mut columns = std::mem::take(&mut scratch.columns);
        let band = (NEAR / (w * deep).max(1)).max(1);
        for first in (0..h).step_by(band) {
            let rows = first..(first + band).min(h);
            columns.clear();
            columns.resize(rows.len() * w * deep, 0.0);
            for y in rows.clone() {
                let under = inside(y * window.stride[0], top, kh, ih);
                for c in 0..w {
                    let taps = inside(c * window.stride[1], left, kw, iw);
                    let sx = c * window.stride[1] + taps.start - left;
                    for ky in under.clone() {
                        let to = ((y - first) * w + c) * deep + (ky * kw + taps.start) * ci;
                        let from = ((y * window.stride[0] + ky - top) * iw + sx) * ci;
                        let n = taps.len() * ci;
                        columns[to..to + n].copy_from_slice(&x.data[from..from + n]);
                    }
                }
            }
            product(&columns, &mut out[rows.start * w * co..rows.end * w * co]);
        }
        scratch.columns = columns;
    }
    Value {
        shape: [h, w, co],
        data: out,
    }
}

/// Output channels that lie together in the weights.
pub(crate) const PANEL: usize = 32;

/// Pixels that are summed at once: with two vectors of channels, as many sums as fit a processor's registers.
const PIXELS: usize = 6;

/// Pixels whose inputs and outputs a processor keeps near while all panels pass over them.
const BLOCK: usize = 16 * PIXELS;

/// Some weights that lie together as a processor fetches them.
#[derive(Debug, Clone, Copy, PartialEq)]
#[repr(align(64))]
pub(crate) struct Panel([f32; PANEL]);

/// Weights by panel of output channels, input, channel of the panel; zeros fill the last panel.
pub(crate) fn panels(weights: &[f32], co: usize) -> Vec<Panel> {
    let deep = weights.len() / co.max(1);
    let mut out = vec![Panel([0.0; PANEL]); co.div_ceil(PANEL) * deep];
    for (k, row) in weights.chunks_exact(co.max(1)).enumerate() {
        for (p, some) in row.chunks(PANEL).enumerate() {
            out[p * deep + k].0[..some.len()].copy_from_slice(some);
        }
    }
    out
}

/// Output channels as sums of input channels, pixel by pixel, compiled for what the processor can do.
struct Product<'a> {
    /// By pixel, input channel.
    rows: &'a [f32],
    panels: &'a [Panel],
    bias: &'a [f32],
    limits: [f32; 2],
    deep: usize,
    /// By pixel, output channel.
    out: &'a mut [f32],
}

impl Product<'_> {
    /// Two vectors of channels of some pixels; how many pixels these are.
    #[inline(always)]
    fn tile<S: Simd, const P: usize>(
        &mut self,
        simd: S,
        panel: usize,
        part: usize,
        pixel: usize,
    ) -> usize {
        let (co, lanes, deep) = (self.bias.len(), S::F32_LANES, self.deep);
        // Never so: it spares the loop its checks.
        if part + 1 >= PANEL / lanes {
            return P;
        }
        let mut sums = [[simd.splat_f32s(0.0); 2]; P];
        let rows: [&[f32]; P] = std::array::from_fn(|p| &self.rows[(pixel + p) * deep..][..deep]);
        let weights = &self.panels[panel * deep..][..deep];
        for k in 0..deep {
            let w = S::as_simd_f32s(&weights[k].0).0;
            let (a, b) = (w[part], w[part + 1]);
            for p in 0..P {
                let s = simd.splat_f32s(rows[p][k]);
                sums[p][0] = simd.mul_add_e_f32s(s, a, sums[p][0]);
                sums[p][1] = simd.mul_add_e_f32s(s, b, sums[p][1]);
            }
        }
        let [low, high] = self.limits.map(|l| simd.splat_f32s(l));
        for n in 0..2 {
            let from = panel * PANEL + (part + n) * lanes;
            let to = (from + lanes).min(co);
            if from >= to {
                break;
            }
            let bias = load(simd, &self.bias[from..to]);
            for (p, sums) in sums.iter().enumerate() {
                let v = simd.add_f32s(sums[n], bias);
                let v = simd.min_f32s(simd.max_f32s(v, low), high);
                let row = (pixel + p) * co;
                store(simd, &mut self.out[row + from..row + to], v);
            }
        }
        P
    }
}

impl pulp::WithSimd for Product<'_> {
    type Output = ();

    #[inline(always)]
    fn with_simd<S: Simd>(mut self, simd: S) {
        let co = self.bias.len();
        let pixels = self.rows.len() / self.deep.max(1);
        for first in (0..pixels).step_by(BLOCK) {
            let end = (first + BLOCK).min(pixels);
            for panel in 0..co.div_ceil(PANEL) {
                let used = (co - panel * PANEL).min(PANEL);
                for part in (0..used.div_ceil(S::F32_LANES)).step_by(2) {
                    let mut pixel = first;
                    while pixel < end {
                        pixel += match end - pixel {
                            1 => self.tile::<S, 1>(simd, panel, part, pixel),
                            2 | 3 => self.tile::<S, 2>(simd, panel, part, pixel),
                            4 | 5 => self.tile::<S, 4>(simd, panel, part, pixel),
                            _ => self.tile::<S, PIXELS>(simd, panel, part, pixel),
                        };
                    }
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

/// Pixels of the output beside one another that are summed together.
const FEW: usize = 4;

/// One vector of channels of pixels or weights, the `n`th of them.
#[inline(always)]
fn nth<S: Simd, const WHOLE: bool>(simd: S, data: &[f32], [n, ch, part]: [usize; 3]) -> S::f32s {
    if WHOLE {
        S::as_simd_f32s(data).0[n * (ch / S::F32_LANES) + part]
    } else {
        let end = ((part + 1) * S::F32_LANES).min(ch);
        load(simd, &data[n * ch + part * S::F32_LANES..n * ch + end])
    }
}

impl Depthwise<'_> {
    /// Pixel by pixel in the order in which they lie, so that each is fetched once. `WHOLE`: the channels fill
    /// vectors; `SPAN`: the pixels under the kernels of a few that lie beside one another.
    #[inline(always)]
    fn run<
        S: Simd,
        const WHOLE: bool,
        const KERNEL: usize,
        const STRIDE: usize,
        const SPAN: usize,
    >(
        mut self,
        simd: S,
    ) {
        let [ih, iw, _] = self.x.shape;
        let ((h, top), (w, left)) = (self.window.along(0, ih), self.window.along(1, iw));
        for y in 0..h {
            let mut c = 0;
            while c < w {
                let at = c * STRIDE;
                if c + FEW <= w && at >= left && at + SPAN <= iw + left {
                    self.few::<S, WHOLE, KERNEL, STRIDE, SPAN>(simd, [y, c], [top, left], w);
                    c += FEW;
                } else {
                    self.one::<S, WHOLE>(simd, [y, c], [top, left], w);
                    c += 1;
                }
            }
        }
    }

    /// A few pixels of the output beside one another, none of whose kernels reaches over the sides.
    #[inline(always)]
    fn few<
        S: Simd,
        const WHOLE: bool,
        const KERNEL: usize,
        const STRIDE: usize,
        const SPAN: usize,
    >(
        &mut self,
        simd: S,
        [y, c]: [usize; 2],
        [top, left]: [usize; 2],
        w: usize,
    ) {
        let [ih, iw, ch] = self.x.shape;
        let down = y * self.window.stride[0];
        let rows = inside(down, top, KERNEL, ih);
        for part in 0..ch.div_ceil(S::F32_LANES) {
            let mut sums = [nth::<S, WHOLE>(simd, self.bias, [0, ch, part]); FEW];
            for ky in rows.clone() {
                let at = (down + ky - top) * iw + c * STRIDE - left;
                let under: [S::f32s; SPAN] = std::array::from_fn(|k| {
                    nth::<S, WHOLE>(simd, &self.x.data, [at + k, ch, part])
                });
                for kx in 0..KERNEL {
                    let tap = nth::<S, WHOLE>(simd, self.weights, [ky * KERNEL + kx, ch, part]);
                    for (n, sum) in sums.iter_mut().enumerate() {
                        *sum = simd.mul_add_e_f32s(under[n * STRIDE + kx], tap, *sum);
                    }
                }
            }
            for (n, sum) in sums.into_iter().enumerate() {
                self.put(simd, y * w + c + n, part, sum);
            }
        }
    }

    /// One pixel of the output.
    #[inline(always)]
    fn one<S: Simd, const WHOLE: bool>(
        &mut self,
        simd: S,
        [y, c]: [usize; 2],
        [top, left]: [usize; 2],
        w: usize,
    ) {
        let [ih, iw, ch] = self.x.shape;
        let ([kh, kw], [down, right]) = (self.window.kernel, self.window.stride);
        let (rows, taps) = (
            inside(y * down, top, kh, ih),
            inside(c * right, left, kw, iw),
        );
        for part in 0..ch.div_ceil(S::F32_LANES) {
            let mut sum = nth::<S, WHOLE>(simd, self.bias, [0, ch, part]);
            for ky in rows.clone() {
                for kx in taps.clone() {
                    let at = (y * down + ky - top) * iw + c * right + kx - left;
                    let s = nth::<S, WHOLE>(simd, &self.x.data, [at, ch, part]);
                    let tap = nth::<S, WHOLE>(simd, self.weights, [ky * kw + kx, ch, part]);
                    sum = simd.mul_add_e_f32s(s, tap, sum);
                }
            }
            self.put(simd, y * w + c, part, sum);
        }
    }

    /// A pixel's sum within its limits.
    #[inline(always)]
    fn put<S: Simd>(&mut self, simd: S, pixel: usize, part: usize, sum: S::f32s) {
        let [low, high] = self.limits.map(|l| simd.splat_f32s(l));
        let v = simd.min_f32s(simd.max_f32s(sum, low), high);
        let ch = self.x.shape[2];
        let end = ((part + 1) * S::F32_LANES).min(ch);
        let to = &mut self.out[pixel * ch + part * S::F32_LANES..pixel * ch + end];
        store(simd, to, v);
    }
}

impl pulp::WithSimd for Depthwise<'_> {
    type Output = ();

    #[inline(always)]
    fn with_simd<S: Simd>(mut self, simd: S) {
        let whole = self.x.shape[2].is_multiple_of(S::F32_LANES);
        // The usual sizes are unrolled.
        match (self.window.kernel, self.window.stride, whole) {
            ([3, 3], [1, 1], true) => self.run::<S, true, 3, 1, 6>(simd),
            ([3, 3], [1, 1], false) => self.run::<S, false, 3, 1, 6>(simd),
            ([3, 3], [2, 2], true) => self.run::<S, true, 3, 2, 9>(simd),
            ([5, 5], [1, 1], true) => self.run::<S, true, 5, 1, 8>(simd),
            ([5, 5], [1, 1], false) => self.run::<S, false, 5, 1, 8>(simd),
            ([5, 5], [2, 2], true) => self.run::<S, true, 5, 2, 11>(simd),
            _ => {
                let shape = self.x.shape;
                let (h, top) = self.window.along(0, shape[0]);
                let (w, left) = self.window.along(1, shape[1]);
                for (y, c) in (0..h).flat_map(|y| (0..w).map(move |c| (y, c))) {
                    self.one::<S, false>(simd, [y, c], [top, left], w);
                }
            }
        }
    }
}

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
    out.fill(0.0);
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
        for (size, ci, co) in [
            ([7, 5], 3, 5),
            ([6, 19], 20, 37),
            ([4, 4], 33, 64),
            ([9, 13], 32, 24),
            // More pixels than are laid out at once.
            ([12, 30], 24, 7),
        ] {
            for (kernel, stride, padding) in [
                (1, 1, Padding::Same),
                (3, 2, Padding::Same),
                (3, 1, Padding::Valid),
                (4, 1, Padding::Same),
                (5, 1, Padding::Zeros([[2, 1], [1, 2]])),
                (5, 2, Padding::Same),
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
