// Assembles the innermost loops over rows of a picture as WebAssembly SIMD and writes them as a TypeScript constant:
//   node scripts/build-row-kernel.mjs        writes core/src/picture/row-kernel-wasm.ts
// What each function does is told in core/src/picture/row-kernel.ts, beside the same loops in plain TypeScript. A test assembles this
// again and compares.
import { assembled, isMain, writeConstant } from './wasm-constant.mjs';

const TAPS = [0, 1, 2, 3, 4];
/** Four numbers at the byte `at` after the row's place. */
const load = (row, at = 0) => `(v128.load offset=${at} (local.get $${row}))`;
const add = (...terms) => terms.reduce((a, b) => `(f32x4.add ${a} ${b})`);
const sub = (a, b) => `(f32x4.sub ${a} ${b})`;
const mul = (a, b) => `(f32x4.mul ${a} ${b})`;
const splats = TAPS.map((i) => `(local.set $w${i} (f32x4.splat (local.get $k${i})))`).join(' ');
const taps = TAPS.map((i) => `(param $k${i} f32)`).join(' ');
const weights = TAPS.map((i) => `(local $w${i} v128)`).join(' ');
/** Repeats `body` for `count` blocks of four numbers, each row's place going on with it. */
const eachFour = (rows, body) => `(block $done (loop $next
      (br_if $done (i32.eqz (local.get $count)))
      ${body}
      ${rows.map((r) => `(local.set $${r} (i32.add (local.get $${r}) (i32.const 16)))`).join('\n      ')}
      (local.set $count (i32.sub (local.get $count) (i32.const 1)))
      (br $next)))`;

/** The same by eight numbers, the last of them beyond the count where it is odd. */
const eachEight = (rows, body) => `(local.set $count (i32.shr_u (i32.add (local.get $count) (i32.const 1)) (i32.const 1)))
    (loop $next
      ${body}
      ${rows.map((r) => `(local.set $${r} (i32.add (local.get $${r}) (i32.const 32)))`).join('\n      ')}
      (br_if $next (local.tee $count (i32.sub (local.get $count) (i32.const 1)))))`;
/** Vectors of four that begin at each of thirteen neighbours, the first four before the place. */
const NEAR = Array.from({ length: 13 }, (_, i) => i);
const near = (i) => `(local.get $n${i})`;

/** The sums of each four of sixteen bytes. */
const fours = (row) => `(i32x4.extadd_pairwise_i16x8_u (i16x8.extadd_pairwise_i8x16_u ${load(row)}))`;

const NINE = ['a4', 'a3', 'a2', 'a1', 'm', 'b1', 'b2', 'b3', 'b4'];
const SUMS = ['xx', 'xy', 'yy', 's0', 's1', 's2', 's3', 's4'];
/** Bytes of four of the eight numbers of two vectors. */
const lanes = (...places) => places.flatMap((p) => [0, 1, 2, 3].map((b) => 4 * p + b)).join(' ');
const THREE = ['a', 'b', 'c'];
const HALF = '(f32x4.splat (f32.const 0.5))';
// rows are told by the place of their first pixel, in bytes; across, saddles and peaks read beside it, so that they step back first
export const SOURCE = `(module
  (memory (export "memory") 1)

  (func (export "widen") (param $from i32) (param $fromStride i32) (param $to i32) (param $toStride i32) (param $count i32) (param $rows i32) (local $p i32) (local $q i32) (local $left i32) (local $v v128)
    (loop $down
      (local.set $p (local.get $from))
      (local.set $q (local.get $to))
      (local.set $left (local.get $count))
      (loop $next
        (local.set $v (i16x8.extend_low_i8x16_u (v128.load64_zero (local.get $p))))
        (v128.store (local.get $q) (f32x4.convert_i32x4_u (i32x4.extend_low_i16x8_u (local.get $v))))
        (v128.store offset=16 (local.get $q) (f32x4.convert_i32x4_u (i32x4.extend_high_i16x8_u (local.get $v))))
        (local.set $p (i32.add (local.get $p) (i32.const 8)))
        (local.set $q (i32.add (local.get $q) (i32.const 32)))
        (local.set $left (i32.sub (local.get $left) (i32.const 1)))
        (br_if $next (local.get $left)))
      (local.set $from (i32.add (local.get $from) (local.get $fromStride)))
      (local.set $to (i32.add (local.get $to) (local.get $toStride)))
      (local.set $rows (i32.sub (local.get $rows) (i32.const 1)))
      (br_if $down (local.get $rows))))

  (func (export "quarter") (param $a i32) (param $b i32) (param $to i32) (param $count i32)
    ${eachFour(['a', 'b', 'to'], `(v128.store (local.get $to) ${mul(`(f32x4.convert_i32x4_u (i32x4.add ${fours('a')} ${fours('b')}))`, '(f32x4.splat (f32.const 0.125))')})`)})

  ;; two blocks of four at a time: of their 18 loads they share five; a block beyond the row's width goes into its spare places
  (func $across (export "across") (param $from i32) (param $to i32) (param $count i32) ${taps} ${weights} ${NEAR.map((i) => `(local $n${i} v128)`).join(' ')}
    ${splats}
    (local.set $from (i32.sub (local.get $from) (i32.const 16)))
    ${eachEight(
      ['from', 'to'],
      `${NEAR.map((i) => `(local.set $n${i} ${load('from', 4 * i)})`).join(' ')}
      ${[0, 4]
        .map(
          (b) =>
            `(v128.store offset=${4 * b} (local.get $to) ${add(mul('(local.get $w0)', near(b + 4)), ...[1, 2, 3, 4].map((i) => mul(`(local.get $w${i})`, add(near(b + 4 - i), near(b + 4 + i)))))})`,
        )
        .join('\n      ')}`,
    )})

  (func $down (export "down") ${NINE.map((r) => `(param $${r} i32)`).join(' ')} (param $to i32) (param $count i32) ${taps} ${weights}
    ${splats}
    ${eachEight(
      [...NINE, 'to'],
      [0, 16]
        .map(
          (at) =>
            `(v128.store offset=${at} (local.get $to) ${add(mul('(local.get $w0)', load('m', at)), ...[1, 2, 3, 4].map((i) => mul(`(local.get $w${i})`, add(load(`a${i}`, at), load(`b${i}`, at)))))})`,
        )
        .join('\n      '),
    )})

  (func (export "saddles") ${THREE.map((r) => `(param $${r} i32)`).join(' ')} (param $to i32) (param $count i32) (local $xy v128) (local $twice v128)
    ${THREE.map((r) => `(local.set $${r} (i32.sub (local.get $${r}) (i32.const 4)))`).join(' ')}
    ${eachFour(
      [...THREE, 'to'],
      `(local.set $twice ${add(load('b', 4), load('b', 4))})
      (local.set $xy ${mul(add(sub(sub(load('c', 8), load('a', 8)), load('c', 0)), load('a', 0)), '(f32x4.splat (f32.const 0.25))')})
      (v128.store (local.get $to) ${sub(
        mul('(local.get $xy)', '(local.get $xy)'),
        mul(sub(add(load('b', 0), load('b', 8)), '(local.get $twice)'), sub(add(load('a', 4), load('c', 4)), '(local.get $twice)')),
      )})`,
    )})

  (func (export "peaks") ${THREE.map((r) => `(param $${r} i32)`).join(' ')} (param $to i32) (param $count i32) (param $least f32) (local $v v128) (local $w0 v128) (local $hit v128)
    (local.set $w0 (f32x4.splat (local.get $least)))
    ${THREE.map((r) => `(local.set $${r} (i32.sub (local.get $${r}) (i32.const 4)))`).join(' ')}
    ${eachFour(
      THREE,
      `(local.set $v ${load('b', 4)})
      (local.set $hit (f32x4.ge (local.get $v) (local.get $w0)))
      (if (v128.any_true (local.get $hit)) (then
        ${[
          ['gt', 'b', 0],
          ['ge', 'b', 8],
          ['gt', 'a', 4],
          ['ge', 'c', 4],
          ['gt', 'a', 0],
          ['gt', 'a', 8],
          ['ge', 'c', 0],
          ['ge', 'c', 8],
        ]
          .map(([op, row, at]) => `(local.set $hit (v128.and (local.get $hit) (f32x4.${op} (local.get $v) ${load(row, at)})))`)
          .join('\n        ')}))
      (i32.store8 (local.get $to) (i32x4.bitmask (local.get $hit)))
      (local.set $to (i32.add (local.get $to) (i32.const 1)))`,
    )})

  (func (export "slopes") ${[...THREE, 'xx', 'xy', 'yy'].map((r) => `(param $${r} i32)`).join(' ')} (param $count i32) (local $gx v128) (local $gy v128)
    (local.set $b (i32.sub (local.get $b) (i32.const 4)))
    ${eachFour(
      [...THREE, 'xx', 'xy', 'yy'],
      `(local.set $gx ${mul(sub(load('b', 8), load('b', 0)), HALF)})
      (local.set $gy ${mul(sub(load('c'), load('a')), HALF)})
      (v128.store (local.get $xx) ${mul('(local.get $gx)', '(local.get $gx)')})
      (v128.store (local.get $xy) ${mul('(local.get $gx)', '(local.get $gy)')})
      (v128.store (local.get $yy) ${mul('(local.get $gy)', '(local.get $gy)')})`,
    )})

  (func (export "eigen") (param $xx i32) (param $xy i32) (param $yy i32) (param $to i32) (param $count i32) (param $share f32) (local $d v128)
    ${eachFour(
      ['xx', 'xy', 'yy', 'to'],
      `(local.set $d ${mul(sub(load('xx'), load('yy')), HALF)})
      (v128.store (local.get $to) ${mul(
        '(f32x4.splat (local.get $share))',
        sub(mul(add(load('xx'), load('yy')), HALF), `(f32x4.sqrt ${add(mul('(local.get $d)', '(local.get $d)'), mul(load('xy'), load('xy')))})`),
      )})`,
    )})

  (func (export "halve") (param $a i32) (param $b i32) (param $to i32) (param $count i32) (local $v v128) (local $next v128)
    ${eachFour(
      ['a', 'b', 'a', 'b', 'to'],
      `(local.set $v ${add(load('a'), load('b'))})
      (local.set $next ${add(load('a', 16), load('b', 16))})
      (v128.store (local.get $to) ${mul(
        add(`(i8x16.shuffle ${lanes(0, 2, 4, 6)} (local.get $v) (local.get $next))`, `(i8x16.shuffle ${lanes(1, 3, 5, 7)} (local.get $v) (local.get $next))`),
        '(f32x4.splat (f32.const 0.25))',
      )})`,
    )})

  (func (export "smoothRows") (param $from i32) (param $mid i32) (param $to i32) (param $stride i32) (param $height i32) (param $count i32) ${taps} (local $left i32) (local $row i32)
    (local.set $left (i32.add (local.get $height) (i32.const 8)))
    (local.set $row (local.get $mid))
    (loop $wide
      (call $across (local.get $from) (local.get $row) (local.get $count) ${TAPS.map((i) => `(local.get $k${i})`).join(' ')})
      (local.set $from (i32.add (local.get $from) (local.get $stride)))
      (local.set $row (i32.add (local.get $row) (local.get $stride)))
      (local.set $left (i32.sub (local.get $left) (i32.const 1)))
      (br_if $wide (local.get $left)))
    (loop $high
      (call $down ${NINE.map((_, i) => `(i32.add (local.get $mid) (i32.mul (local.get $stride) (i32.const ${i})))`).join(' ')} (local.get $to) (local.get $count) ${TAPS.map((i) => `(local.get $k${i})`).join(' ')})
      (local.set $mid (i32.add (local.get $mid) (local.get $stride)))
      (local.set $to (i32.add (local.get $to) (local.get $stride)))
      (local.set $height (i32.sub (local.get $height) (i32.const 1)))
      (br_if $high (local.get $height))))

  (func (export "structure") (param $row i32) (param $stride i32) (param $height i32) (param $count i32) (param $dx0 f32) (param $dy f32) (param $dx1 f32) (param $inverse f32) (param $flat f32) (param $out i32)
    (local $p i32) (local $left i32) (local $skip i32) (local $half f32) (local $dx v128) (local $gx v128) (local $gy v128) (local $weight v128)
    ${SUMS.map((n) => `(local $${n} v128)`).join(' ')}
    (loop $down
      ;; the blocks that the circle crosses at this height
      (local.set $half (f32.sqrt (f32.max (f32.const 0) (f32.sub (f32.div (f32.const 1) (local.get $inverse)) (f32.mul (local.get $dy) (local.get $dy))))))
      (local.set $skip (i32.trunc_f32_s (f32.max (f32.const 0) (f32.mul (f32.const 0.25) (f32.sub (f32.neg (local.get $half)) (local.get $dx0))))))
      (local.set $left (i32.trunc_f32_s (f32.add (f32.const 1) (f32.max (f32.const 0) (f32.mul (f32.const 0.25) (f32.sub (local.get $half) (local.get $dx0)))))))
      (if (i32.gt_s (local.get $left) (local.get $count)) (then (local.set $left (local.get $count))))
      (local.set $left (i32.sub (local.get $left) (local.get $skip)))
      (if (i32.lt_s (local.get $left) (i32.const 1)) (then (local.set $left (i32.const 1)) (local.set $skip (i32.const 0))))
      (local.set $p (i32.add (i32.sub (local.get $row) (i32.const 4)) (i32.shl (local.get $skip) (i32.const 4))))
      (local.set $dx (f32x4.add (f32x4.splat (f32.add (local.get $dx0) (f32.convert_i32_s (i32.shl (local.get $skip) (i32.const 2))))) (v128.const f32x4 0 1 2 3)))
      (loop $next
        (local.set $weight ${mul(add(mul('(local.get $dx)', '(local.get $dx)'), '(f32x4.splat (f32.mul (local.get $dy) (local.get $dy)))'), '(f32x4.splat (local.get $inverse))')})
        (local.set $weight ${mul('(local.get $weight)', '(local.get $weight)')})
        (local.set $weight ${mul('(local.get $weight)', add('(f32x4.splat (f32.const 1))', mul('(f32x4.splat (local.get $flat))', sub('(local.get $weight)', '(f32x4.splat (f32.const 1))'))))})
        (local.set $weight (f32x4.max (f32x4.splat (f32.const 0)) ${sub('(f32x4.splat (f32.const 1))', '(local.get $weight)')}))
        (local.set $weight (v128.and (local.get $weight) (f32x4.le (local.get $dx) (f32x4.splat (local.get $dx1)))))
        (local.set $gx ${sub(load('p', 8), load('p', 0))})
        (local.set $gy ${sub('(v128.load offset=4 (i32.add (local.get $p) (local.get $stride)))', '(v128.load offset=4 (i32.sub (local.get $p) (local.get $stride)))')})
        (local.set $xx ${mul('(local.get $weight)', mul('(local.get $gx)', '(local.get $gx)'))})
        (local.set $xy ${mul('(local.get $weight)', mul('(local.get $gx)', '(local.get $gy)'))})
        (local.set $yy ${mul('(local.get $weight)', mul('(local.get $gy)', '(local.get $gy)'))})
        ${['xx', 'xy', 'yy'].map((n, i) => `(local.set $s${i} ${add(`(local.get $s${i})`, `(local.get $${n})`)})`).join('\n        ')}
        (local.set $s3 ${add('(local.get $s3)', add(mul('(local.get $xx)', '(local.get $dx)'), mul('(local.get $xy)', '(f32x4.splat (local.get $dy))')))})
        (local.set $s4 ${add('(local.get $s4)', add(mul('(local.get $xy)', '(local.get $dx)'), mul('(local.get $yy)', '(f32x4.splat (local.get $dy))')))})
        (local.set $dx (f32x4.add (local.get $dx) (f32x4.splat (f32.const 4))))
        (local.set $p (i32.add (local.get $p) (i32.const 16)))
        (local.set $left (i32.sub (local.get $left) (i32.const 1)))
        (br_if $next (local.get $left)))
      (local.set $row (i32.add (local.get $row) (local.get $stride)))
      (local.set $dy (f32.add (local.get $dy) (f32.const 1)))
      (local.set $height (i32.sub (local.get $height) (i32.const 1)))
      (br_if $down (local.get $height)))
    ${[0, 1, 2, 3, 4].map((i) => `(f32.store offset=${4 * i} (local.get $out) (f32.add (f32.add (f32x4.extract_lane 0 (local.get $s${i})) (f32x4.extract_lane 1 (local.get $s${i}))) (f32.add (f32x4.extract_lane 2 (local.get $s${i})) (f32x4.extract_lane 3 (local.get $s${i})))))`).join('\n    ')}))
`;

export const assemble = () => assembled('row-kernel.wat', SOURCE);
if (isMain(import.meta.url)) writeConstant('core/src/picture/row-kernel-wasm.ts', 'ROW_KERNEL_HEX', 'scripts/build-row-kernel.mjs', await assemble());
