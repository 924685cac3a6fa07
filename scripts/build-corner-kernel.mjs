// Assembles the sums over the windows of corners as WebAssembly SIMD and writes them as a TypeScript constant:
//   node scripts/build-corner-kernel.mjs        writes core/src/grid/corner-kernel-wasm.ts
// What the function does is told in core/src/grid/corner-kernel.ts, beside the same loop in plain TypeScript. A test assembles this again
// and compares.
import { assembled, isMain, writeConstant } from './wasm-constant.mjs';

/** Sums of the pixels' squares, of the pixels, and of their products with the five columns. */
const SUMS = [0, 1, 2, 3, 4, 5, 6];
const COLUMNS = [1, 2, 3, 4, 5];
const f32 = (op, a, b) => `(f32x4.${op} ${a} ${b})`;
const sum = (i) => `(local.get $s${i})`;
const grey = '(local.get $grey)';
// lengths in bytes
export const SOURCE = `(module
  (memory (export "memory") 1)

  (func (export "weigh") (param $row i32) (param $stride i32) (param $height i32) (param $blocks i32) (param $weights i32) (param $level f32) (param $out i32)
    (local $p i32) (local $left i32) (local $grey v128) (local $base v128) ${SUMS.map((i) => `(local $s${i} v128)`).join(' ')}
    (local.set $base (f32x4.splat (local.get $level)))
    (loop $down
      (local.set $p (local.get $row))
      (local.set $left (local.get $blocks))
      (loop $across
        (local.set $grey ${f32('mul', '(v128.load (local.get $weights))', f32('sub', '(v128.load (local.get $p))', '(local.get $base)'))})
        (local.set $s0 ${f32('add', sum(0), f32('mul', grey, grey))})
        (local.set $s1 ${f32('add', sum(1), grey)})
        ${COLUMNS.map((c) => `(local.set $s${c + 1} ${f32('add', sum(c + 1), f32('mul', grey, `(v128.load offset=${16 * c} (local.get $weights))`))})`).join('\n        ')}
        (local.set $p (i32.add (local.get $p) (i32.const 16)))
        (local.set $weights (i32.add (local.get $weights) (i32.const 96)))
        (br_if $across (local.tee $left (i32.sub (local.get $left) (i32.const 1)))))
      (local.set $row (i32.add (local.get $row) (local.get $stride)))
      (br_if $down (local.tee $height (i32.sub (local.get $height) (i32.const 1)))))
    ${SUMS.map((i) => `(v128.store offset=${16 * i} (local.get $out) ${sum(i)})`).join(' ')}))
`;

export const assemble = () => assembled('corner-kernel.wat', SOURCE);
if (isMain(import.meta.url)) writeConstant('core/src/grid/corner-kernel-wasm.ts', 'CORNER_KERNEL_HEX', 'scripts/build-corner-kernel.mjs', await assemble());
