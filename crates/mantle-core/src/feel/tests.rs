use super::*;
use proptest::prelude::*;

#[test]
fn full_input_gives_full_output_and_rest_gives_zero() {
    let feel = Feel::default();
    assert_eq!(feel.stick(1.0, 0.0), [32767, 0]);
    assert_eq!(feel.stick(-1.0, 0.0), [-32768, 0]);
    assert_eq!(feel.stick(1.0, -1.0), [32767, -32768]);
    assert_eq!(feel.stick(0.03, 0.02), [0, 0]);
    assert_eq!((feel.trigger(0.0), feel.trigger(0.04), feel.trigger(1.0)), (0, 0, 255));
}

proptest! {
    #[test]
    fn output_never_decreases_with_deflection(a in 0.0f32..1.0, b in 0.0f32..1.0, dead in 0.0f32..0.5) {
        let feel = Feel::plain(dead, dead);
        let (near, far) = if a < b { (a, b) } else { (b, a) };
        prop_assert!(feel.stick(near, 0.0)[0] <= feel.stick(far, 0.0)[0]);
        prop_assert!(feel.trigger(near) <= feel.trigger(far));
    }

    #[test]
    fn shaping_keeps_the_direction(x in -1.0f32..1.0, y in -1.0f32..1.0) {
        let [ox, oy] = Feel::default().stick(x, y);
        if ox.abs() < 32767 && oy.abs() < 32767 {
            let cross = f64::from(x) * f64::from(oy) - f64::from(y) * f64::from(ox);
            prop_assert!(cross.abs() <= 2.0, "{x} {y} became {ox} {oy}");
        }
    }
}

proptest! {
    /// Whatever is set: rest gives nothing, the output never falls, and nothing leaves its range.
    #[test]
    fn every_feel_keeps_its_order(
        dead in 0.0f32..0.9, outer in 0.0f32..0.5, minimum in 0.0f32..0.9, sensitivity in 0.1f32..5.0, preset in 0..PRESETS.len(),
        gate in 0..3usize, angle in 0.0f32..std::f32::consts::TAU, near in 0.0f32..1.0, far in 0.0f32..1.0,
    ) {
        let curve = Curve::preset(PRESETS[preset].0).expect("a curve");
        let shape = Shape { outer, minimum, curve, sensitivity, gate: Gate::ALL[gate].1, ..Shape::plain(dead) };
        let feel = Feel { sticks: [shape; 2], triggers: [shape; 2], axes: [None; 4], ..Feel::default() };
        let (near, far) = (near.min(far), near.max(far));
        let at = |distance: f32| feel.stick(distance * angle.cos(), distance * angle.sin());
        prop_assert_eq!((feel.stick(0.0, 0.0), feel.trigger(0.0)), ([0, 0], 0));
        let length = |[x, y]: [i32; 2]| f64::from(x).hypot(f64::from(y));
        prop_assert!(length(at(near)) <= length(at(far)) + 2.0);
        prop_assert!(feel.trigger(near) <= feel.trigger(far));
        prop_assert!((0..=255).contains(&feel.trigger(far)));
        let said = (shape.at(far) * 255.0).round() as i32;
        prop_assert!((feel.trigger(far) - said).abs() <= 5, "the drawing and the pad: {} {said}", feel.trigger(far));
    }
}

#[test]
fn each_setting_does_what_it_says() {
    let with = |change: &dyn Fn(&mut Shape)| {
        let mut shape = Shape::plain(0.1);
        change(&mut shape);
        Feel { sticks: [shape; 2], triggers: [shape; 2], axes: [None; 4], ..Feel::default() }
    };
    let outer = with(&|shape| shape.outer = 0.2);
    assert_eq!((outer.stick(0.8, 0.0), outer.trigger(0.8)), ([32767, 0], 255), "full before the end");
    let minimum = with(&|shape| shape.minimum = 0.3);
    assert_eq!(minimum.stick(0.1, 0.0), [0, 0], "nothing in the dead zone");
    assert!((9830..9900).contains(&minimum.stick(0.101, 0.0)[0]), "and at once that much behind it");
    let gentle = with(&|shape| shape.curve = Curve::preset("gentle").expect("a curve"));
    assert_eq!(gentle.trigger(0.55), (0.33f32 * 255.0).round() as i32);
    assert_eq!(with(&|shape| shape.sensitivity = 2.0).trigger(0.55), 255);
    let circle = with(&|shape| shape.gate = Gate::Circle).stick(1.0, 1.0);
    assert_eq!(circle, [23170, 23170]);
    let half = std::f32::consts::FRAC_1_SQRT_2;
    assert_eq!(with(&|shape| shape.gate = Gate::Square).stick(half, -half), [32767, -32768]);
    let inverted = with(&|shape| shape.invert = [false, true]);
    assert_eq!(inverted.stick(0.0, 1.0), [0, -32768]);
    assert_eq!(with(&|shape| shape.invert = [true, false]).trigger(0.0), 0, "nobody pulls it");
    assert_eq!(with(&|shape| shape.outer = 0.05).stick(1.0, 1.0), [32767, 32767], "corners stay corners");
}

/// A wheel on X and a lever on Y: neither affects the other.
#[test]
fn axes_with_their_own_feel_are_shaped_separately() {
    let mut feel = Feel::plain(0.2, 0.0);
    assert_eq!(feel.stick(1.0, 0.1)[1], 3281, "as a plane the distance counts");
    feel.of_mut(Shaped::LeftX).dead_zone = 0.0;
    feel.of_mut(Shaped::LeftX).invert = [true, false];
    assert!(feel.is_apart(0) && !feel.is_apart(1) && feel.is_own(Shaped::LeftX) && !feel.is_own(Shaped::LeftY));
    assert_eq!(feel.stick(1.0, 0.1), [-32768, 0], "Y has the dead zone of the stick, for itself");
    assert_eq!(feel.stick(-0.5, 0.6), [16384, 16384]);
    assert_eq!(feel.stick(0.0, -1.0), [0, -32768]);
    assert!(feel.shape(&[0.0, 0.0, 1.0, 0.1, 0.0, 0.0, 0.0, 0.0])[3] > 3200, "the other stick is a plane still");
}

#[test]
fn each_axis_is_smoothed_separately() {
    let mut feel = Feel::default();
    feel.of_mut(Shaped::RightY).smoothing = Micros::millis(40);
    let mut smooth = Smooth::new(feel.smoothing()).expect("it is asked for");
    let out = smooth.handle_lanes(Micros::millis(100), &[1.0; 8]);
    assert_eq!(out[..6], [1.0, 1.0, 1.0, 0.0, 1.0, 1.0]);
}
