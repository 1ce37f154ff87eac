;; Finds start codes of video streams, sixteen bytes at a time. Specification: findUnitCode in unit-codes.ts.
;; Compiled by `npm run wasm`; a test compares the committed bytes with this text, and both with the specification.
(module
  (memory (export "memory") 1)
  ;; The slices passed over: vertical position of the last, and how many were skipped before it. Specification: SliceRows.
  (global $row (export "row") (mut i32) (i32.const 0))
  (global $skipped (export "skipped") (mut i32) (i32.const 0))
  ;; $p first byte to look at, $end first byte that is no longer valid; codes other than zero count from $least on. Returns the index of the first zero, or -1. Both are signed: an end before the
  ;; beginning, even a negative one, is an empty stretch.
  (func (export "find") (param $p i32) (param $end i32) (param $least i32) (result i32)
    (local $bits i32) (local $q i32) (local $code i32)
    (block $tail
      (loop $blocks
        ;; the last of sixteen candidates has its code byte at p + 18
        (br_if $tail (i32.gt_s (i32.add (local.get $p) (i32.const 19)) (local.get $end)))
        (local.set $bits (i8x16.bitmask (v128.and
          (v128.and
            (i8x16.eq (v128.load (local.get $p)) (i8x16.splat (i32.const 0)))
            (i8x16.eq (v128.load offset=1 (local.get $p)) (i8x16.splat (i32.const 0))))
          (i8x16.eq (v128.load offset=2 (local.get $p)) (i8x16.splat (i32.const 1))))))
        (block $none
          (loop $hits
            (br_if $none (i32.eqz (local.get $bits)))
            (local.set $q (i32.add (local.get $p) (i32.ctz (local.get $bits))))
            (local.set $code (i32.load8_u offset=3 (local.get $q)))
            (if (i32.or (i32.eqz (local.get $code)) (i32.ge_u (local.get $code) (local.get $least)))
              (then (return (local.get $q))))
            (if (i32.gt_u (local.get $code) (global.get $row))
              (then
                (global.set $skipped
                  (i32.add (global.get $skipped) (i32.sub (i32.sub (local.get $code) (global.get $row)) (i32.const 1))))
                (global.set $row (local.get $code))))
            (local.set $bits (i32.and (local.get $bits) (i32.sub (local.get $bits) (i32.const 1))))
            (br $hits)))
        (local.set $p (i32.add (local.get $p) (i32.const 16)))
        (br $blocks)))
    (loop $bytes
      (if (i32.ge_s (i32.add (local.get $p) (i32.const 3)) (local.get $end)) (then (return (i32.const -1))))
      (if (i32.and
            (i32.eqz (i32.load16_u (local.get $p)))
            (i32.eq (i32.load8_u offset=2 (local.get $p)) (i32.const 1)))
        (then
          (local.set $code (i32.load8_u offset=3 (local.get $p)))
          (if (i32.or (i32.eqz (local.get $code)) (i32.ge_u (local.get $code) (local.get $least)))
            (then (return (local.get $p))))
          (if (i32.gt_u (local.get $code) (global.get $row))
            (then
              (global.set $skipped
                (i32.add (global.get $skipped) (i32.sub (i32.sub (local.get $code) (global.get $row)) (i32.const 1))))
              (global.set $row (local.get $code))))))
      (local.set $p (i32.add (local.get $p) (i32.const 1)))
      (br $bytes))
    (unreachable)))
