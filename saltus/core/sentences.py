"""Every sentence of `saltus.core`, by its code: nothing else of it makes one."""

from saltus.core.wording import Sentences

say = Sentences(
    {
        # clock, aliasing
        "aliasing.rates-numbers-above-zero": "Rates are numbers above zero, in Hz (an apparent one may be 0).",
        "aliasing.faster-than-half-the-rate": "At {rate:g} frames per second nothing can look faster than {half:g} Hz.",
        "aliasing.too-far-up-list": "That is too far up to list: at most {n} times the frame rate.",
        # clock, brackets
        "instant.stop-before-start": "The stop does not come after the start: exchange them.",
        "instant.no-cycle": "There must be at least one cycle; counting starts at zero.",
        "instant.no-bracket": "{first}:{last} is no bracket: write the earlier time first, as in 1.20:1.24.",
        # clock, checks
        "clock.watch-runs-back": "The watch must show more in the later frame: look again which frame shows which time.",
        "clock.no-acceleration": "Without an acceleration the rate cannot be told.",
        "clock.absurd-rate": "No camera takes so many frames a second: look at what was typed.",
        "clock.too-rough": "This check is too rough to tell a rate: take frames further apart.",
        # clock, cycles
        "cycles.odd-time": "After passing {n} the next comes at an odd time: one may be missed or seen twice.",
        "cycles.only-passings-seen-period": (
            "Only {n} passing is seen: a period needs two in the same direction.",
            "Only {n} passings are seen: a period needs two in the same direction.",
        ),
        # clock, gates
        "gates.readings-never-cross-move": "The readings never cross {line}: move it into their way.",
        "gates.too-few-readings-crossing": "There are too few readings for a crossing: at least {n}.",
        "gates.line-at": "the line {line:g}",
        "gates.line-never-crossed-positions": "The line at {line:g} is never crossed: positions lie between {low:.4g} and {high:.4g}.",
        "gates.near-turning-point-instant": "Near a turning point the instant at {line} is not told: move it.",
        # entry
        "entry.unreadable": "{where}“{text}” cannot be read. Write for example 12.3(2) cm or 0.164 ± 0.001 kg.",
        "entry.wrong-unit": "{where}“{text}” is in {unit}, but {wanted} is expected here.",
        "entry.no-given": "“{text}” is not a given: write for example mass=0.164(1) kg.",
        "entry.plain-number": "a plain number",
        "entry.too-small-meant": "{where}“{text}” is too small to be meant.",
        "entry.too-large-meant": "{where}“{text}” is too large to be meant.",
        # following
        "following.how-many-bodies": "Draw a box round one to {most} bodies.",
        "following.exposure-touched": "Another exposure of “{name}” touches the box: read this one by hand, and begin with the first that stands alone.",
        "following.nothing-to-hold": "“{name}”: there is nothing in its box to hold on to. Draw it round marks, an edge or a colour that stands out.",
        "following.box-too-small": "“{name}”: its box must be at least {least} px wide and high.",
        "following.box-too-large": "“{name}”: its box is larger than the picture.",
        "following.box-outside": "“{name}”: the middle of its box lies outside the picture of {width} × {height} px.",
        # formula order
        "columns.columns-need-each-other": "These columns need each other in a circle: {circle}. Change one of their formulas.",
        # formulas
        "formulas.the-end": "the end",
        "formulas.power-above-64-not": "A power above 64 is not meant.",
        "formulas.wants-plain-number-not": "{name}(…) wants a plain number, not one in {unit}: divide by a unit, as in x/1[{unit}].",
        "formulas.formula-too-long": "The formula “{text}…” is too long.",
        "formulas.wrong-at": "In the formula “{text}” there is something wrong at “{what}”.",
        "formulas.name-missing": "“{text}” needs “{name}”, which is not there.",
        "formulas.too-much-work-many": "“{text}” is too much work for so many rows.",
        "formulas.power-plain-number-not": "A power must be a plain number, not one in {unit}.",
        "formulas.not-function-use": "“{name}” is not a function: use {all}.",
        "formulas.takes-one-value": "{name}(…) takes one value.",
        # notation
        "notation.mean-of": "mean of ",
        # geometry, lens
        "lens.two-marks": "A straight line needs at least three marks to show a bend: mark more places along it.",
        "lens.marks-together": "Two marks of the straight line lie on each other: drag them apart.",
        "lens.through-the-centre": "This line cannot show the bend of the lens: it runs too near the middle of the picture, or is too short. Mark a long straight edge near the border.",
        "lens.too-strong": "No lens bends so much: look whether the marks lie on one straight edge.",
        # geometry, plane
        "plane.no-size": "Width and height of the rectangle must be longer than zero.",
        "plane.corners-together": "Two corners lie on each other: drag them apart.",
        "plane.edge-on": "The plane is seen edge-on, or its corners lie on a line: choose a rectangle that is seen wider.",
        "plane.three-on-a-line": "Three of the corners lie on a line: drag each to its own corner of the rectangle.",
        "plane.sides-cross": "The sides of the rectangle cross: take the corners in order round it.",
        "plane.corner-inside": "One corner lies within the other three: drag each to its own corner of the rectangle.",
        "plane.horizon-through-corners": "These corners cannot be those of one rectangle: look whether each lies on its mark.",
        "plane.corner-beyond-lens": "With this bend of the lens a mark near the border has no place: check the lens first.",
        "plane.no-plane": "These points lie on no plane: look whether each has its place.",
        # geometry, track
        "track.too-few-marks": "A line seen at an angle needs at least three marks at known distances.",
        "track.marks-together": "Two marks lie on each other, or have one distance: take them apart.",
        "track.out-of-order": "The marks are not in the order of their distances: look which is which.",
        "track.off-the-line": "One of the marks does not lie on the line through the others: drag it there, or take it out.",
        "track.no-line": "These distances cannot be those of one straight line: check each.",
        # geometry, reference
        "reference.behind-the-camera": "A plane so much nearer lies behind the camera: check the offset and the distance of the camera.",
        "reference.end-beyond": "An end of the length has no place in the plane: drag it nearer.",
        "reference.no-length": "The reference length must be longer than zero.",
        "reference.ends-together": "The two ends of the reference length lie on each other: drag them apart.",
        # geometry, camera that moves
        "camera.too-few-frames": "“{name}” stands for what does not move, but is read in one frame at most: read or follow it in every frame you use.",
        "camera.never-together": "The fixed points are never read in the same frame twice: read or follow each in every frame you use.",
        "camera.points-together": "The fixed points lie within {px:g} px of each other: choose another one farther away, or use one only.",
        "camera.points-move": "“{name}” moves against the other fixed points, by {px:.0f} px in frame {frame}: does it stand still? Read it again there, or use the others only.",
        "camera.two-points-move": "The two fixed points move against each other, by {px:.0f} px in frame {frame}: one of them does not stand still, was read wrongly there, or the camera zooms; say so, or use one only.",
        "camera.cannot-tell": "How the camera moved cannot be told from these points: look whether each is read where it stands.",
        "camera.bare-background": "There is too little in the background to hold on to: read one or two fixed points instead.",
        "camera.background-lost": "The background of the first frame is not recognised in any other: read one or two fixed points instead.",
        # geometry, circle and angle
        "circle.three-points": "A circle needs three points at least: click further ones on its rim.",
        "circle.on-a-line": "These points lie on a line as far as can be told: a circle needs points round more of its rim.",
        "angle.no-arm": "An arm of the angle has no length: drag its end away from the vertex.",
        # geometry, filmed scales
        "divisions.two-needed": "A scale needs two known divisions at least: click one and type what stands there.",
        "divisions.same-value": "Two divisions have the same value: type what stands at each.",
        "divisions.together": "Two divisions lie on each other: drag them apart.",
        "divisions.off-the-line": "The divisions do not lie on a straight line: drag each to its mark, or say that the scale is round.",
        "divisions.out-of-order": "The values do not go in the order of their divisions: look which is typed where.",
        "divisions.uneven": "One division is far from where the others have it: look at its value and its place.",
        "dial.middle-or-third": "A dial needs three divisions, or two and the middle about which its pointer turns.",
        "dial.not-on-a-circle": "The divisions do not lie on a circle: drag each to its mark, and film the dial square-on.",
        # repeat check
        "check.too-few": "Read at least {n} frames again: fewer say nothing of how well you read.",
        # instruments
        "instruments.nothing-weighed": "At least one thing must have been weighed.",
        "quantity.negative-uncertainty": "An uncertainty must be zero or a positive number.",
        # lines, curves
        "curve.power-needs-x-above-zero": "A power law needs values of x above zero.",
        "curve.power-needs-y": "A power law needs at least two values of y that are not zero.",
        "curve.exponential-needs-y": "An exponential needs at least two values of y that are not zero.",
        "curve.cannot-be-laid": "The curve cannot be laid through these points.",
        "line.no-uncertainty": "With as many parameters as points and nothing stated, no uncertainty can be given.",
        "curve.points-scatter-times-more": "The points scatter {ratio:.1f} times more than stated; the uncertainty was enlarged.",
        "curve.curve-needs-least-different": (
            "This curve needs at least {n} different value of x.",
            "This curve needs at least {n} different values of x.",
        ),
        # lines, slope profile
        "line.uncertainty-x-large-range": "The uncertainty of x is large for its range: the interval of the slope comes from its profile.",
        # lines, straight
        "line.all-x-alike": "All points lie at one value of x: a line needs two different ones.",
        "line.all-x-zero": "All values of x are zero: a line through the origin needs another one.",
        "line.some-points-state-no": "Some points state no uncertainty beside others that do: the line rests on its scatter.",
        "line.numbers-too-far-apart": "These numbers are too far apart, or too uncertain, for a line.",
        "line.points-scatter-times-more": "The points scatter {ratio:.1f} times more than stated; the uncertainty was enlarged to match.",
        "line.points-miss-line-times": "The points miss the line by {ratio:.1f} times what their repeats explain: is it a straight line?",
        "line.there-are": ("There is {n}.", "There are {n}."),
        "line.line-needs-least-points": (
            "A line needs at least {n} point.",
            "A line needs at least {n} points.",
        ),
        # motion, models
        "model.oscillation": "Steady oscillation",
        "model.damped-oscillation": "Damped oscillation",
        "model.quadratic-damped-oscillation": "Damped by air, v²",
        "model.large-oscillation": "Large swing",
        "model.exponential": "Exponential approach",
        "model.terminal-approach": "Terminal speed, drag as v²",
        "model.terminal-approach-linear": "Terminal speed, drag as v",
        "model.uniform-rotation": "Constant angular velocity",
        "model.angular-acceleration": "Constant angular acceleration",
        "model.projectile": "Free flight, x and y",
        "model.circle": "Round a circle",
        "oscillation.too-short": "The readings show too small a part of a cycle for a period: take a longer stretch.",
        "oscillation.too-few-readings": "Fewer than two readings fall on a cycle: read every frame, or film at a higher rate.",
        "oscillation.none-seen": "No oscillation is seen in these readings.",
        "oscillation.goes-over": "The amplitude comes out above half a turn: this is not a swing to and fro.",
        "oscillation.alike": "At {rate:.4g} readings a second, true rates of {first} Hz and {second} Hz would look the same.",
        "terminal.reached": "The terminal speed is reached: {percent} % of it at the last reading.",
        "terminal.not-yet": "At the last reading the speed is {percent} % of the terminal speed; 99 % would need {more} s more.",
        "terminal.from-the-start": "The speed stands from the start of the segment: constant velocity tells it.",
        "terminal.not-in-sight": "The speed does not yet bend towards a limit: a longer fall is needed.",
        "circle.too-short": "The arc is too short for a centre: take a longer stretch.",
        "angle.body-at-the-pivot": "The body lies at the point about which the angle is counted: choose another point, or another coordinate.",
        "segment.wants-an-angle": "This model is one of an angle: choose the angle as the coordinate.",
        "segment.hardly-told": "The readings hardly tell this: the uncertainty is a rough one.",
        # motion, characteristic points
        "points.too-few-readings": "Characteristic points need at least {n} readings.",
        "points.all-rest": "The whole record is at rest: there is nothing to find in it.",
        "points.none": "No characteristic point is sure in this record.",
        "points.g-high": "In free flight g comes out {percent:.2g} % high: a scale {percent:.2g} % too large, or a clock {half:.2g} % too slow, would do that.",
        "points.g-low": "In free flight g comes out {percent:.2g} % low: a scale {percent:.2g} % too small, or a clock {half:.2g} % too fast, would do that.",
        "log.arrow-the-wrong-way": "A free stretch shows {value:+.2f} m/s² where −9.81 is expected: the arrow of the sensor probably points the wrong way; turn the sign of the signal.",
        "log.not-zeroed": "At rest the sensor shows {zero:+.2f} m/s²: it was probably not zeroed; taken off, the free stretch shows −9.81.",
        "log.not-zeroed-and-turned": "At rest the sensor shows {zero:+.2f} m/s²: it was probably neither zeroed nor turned the right way.",
        "log.zero-off": "At rest the sensor shows {zero:+.2f} m/s²: all accelerations are off by as much until it is zeroed.",
        "log.wrong-axis": "The steady stretch shows {value:+.2f} m/s², not −9.81: probably the wrong axis, or no free fall.",
        # motion, events
        "event.sides-overlap": "The stretch before the event ends at {stop:.4g} s, after that behind it starts ({start:.4g} s): move one of them.",
        "event.before-ends-late": "The stretch before the event reaches to {t:.4g} s, over the event at {at:.4g} s: end it earlier.",
        "event.after-starts-early": "The stretch after the event starts at {t:.4g} s, before the event at {at:.4g} s: start it later.",
        "event.before": "Before: {words}",
        "event.after": "After: {words}",
        "event.not-level-before": "Before the event the velocity is not level: {slope}; taken as level, its value at the event is biased.",
        "event.not-level-after": "After the event the velocity is not level: {slope}; taken as level, its value at the event is biased.",
        "event.slope-before": "Before the event coasting is not level: {slope}, as on a track that leans by {tilt}°, or with friction; taken as level, its velocity at the event would be {percent} % off.",
        "event.slope-after": "After the event coasting is not level: {slope}, as on a track that leans by {tilt}°, or with friction; taken as level, its velocity at the event would be {percent} % off.",
        # motion, models, constant acceleration
        "model.constant-acceleration": "Constant acceleration",
        # motion, models, constant velocity
        "model.constant-velocity": "Constant velocity",
        # motion, models, rest
        "model.rest": "Rest",
        # motion, segment
        "segment.no-uncertainty": "With as many parameters as readings and no stated uncertainty, none can be given.",
        "segment.cannot-be-fitted": "The fit of this model does not come to rest on these readings: choose another stretch, or a simpler model.",
        "segment.readings-scatter-times-more": "The readings scatter {ratio:.1f} times more than stated; the uncertainty was enlarged to match.",
        "segment.segment": ("The segment has {n}.", "The segment has {n}."),
        "segment.needs-least-readings": (
            "This needs at least {n} reading.",
            "This needs at least {n} readings.",
        ),
        # pulses
        "pulses.fence-least-two-stripes": "A fence has at least two stripes.",
        "pulses.wheel-least-stripe": "A wheel has at least one stripe.",
        "pulses.least-three-pulses-needed": "At least three pulses are needed for a motion.",
        "pulses.times-pulses-increase-put": "The times of the pulses must increase: put them in order and leave repeats out.",
        "pulses.pulses-missed-left-out": (
            "{n} pulse was missed and is left out.",
            "{n} pulses were missed and are left out.",
        ),
        # quantity
        "quantity.other-unit": "A value in {a} cannot be added to or compared with one in {b}.",
        # series
        "series.no-value-lies-stretch": "No value lies in this stretch: choose a longer one.",
        "series.slope-needs-values-two": "A slope needs values at two times at least: choose a longer stretch.",
        "series.no-value-lies-quiet": "No value lies in the quiet stretch: choose a longer one.",
        # units
        "units.two-meanings": "“{unit}” can mean {one} or {other}: write one of these.",
        "units.unknown": "“{unit}” is not a unit Saltus knows. Write for example m, cm or mm.",
        # written
        "number.no-number": "“{text}” is not a number. Type for example 1.5.",
        "number.no-quantity": "“{text}” is not a quantity. Type a number and a unit, for example {example}.",
        "number.wrong-unit": "“{text}” is in {unit}, but this wants {wanted}. Type for example {example}.",
        "number.too-large-meant": "“{text}” is too large to be meant.",
    }
)
