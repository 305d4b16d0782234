; The prime sieve of the benchmark: 8192 flags in RAM, one byte each, twenty times over.
; The count of primes below 8192 stands in `primes` at the end (1028).

size    equ  8192

outer   equ  1                      ; the benchmark makes this more

        org  0x8000
flags:  ds   size
primes: ds   2
times:  ds   1
rounds: ds   1

        org  0
        ld   sp, 0
        ld   a, outer
        ld   (rounds), a
round:  ld   a, 20                  ; repetitions
        ld   (times), a
again:  ld   hl, flags              ; every number may be prime
        ld   de, size
fill:   ld   (hl), 1
        inc  hl
        dec  de
        ld   a, d
        or   e
        jr   nz, fill
        ld   (primes), de
        ld   de, 2                  ; the number looked at
        ld   bc, flags+2            ; its flag
next:   ld   a, (bc)
        or   a
        jr   z, step
        ld   hl, (primes)
        inc  hl
        ld   (primes), hl
        ld   h, b
        ld   l, c
        xor  a
strike: add  hl, de                 ; strike out its multiples
        bit  5, h                   ; beyond the last flag
        jr   nz, step
        ld   (hl), a
        jp   strike
step:   inc  de
        inc  bc
        bit  5, b
        jr   z, next
        ld   hl, times
        dec  (hl)
        jr   nz, again
        ld   hl, rounds
        dec  (hl)
        jr   nz, round
done:   jr   done
