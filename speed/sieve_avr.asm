; The prime sieve of the benchmark, of 1,024 flags in RAM, one byte each, a hundred and sixty times over.
; The count of primes below 1,024 stands in `primes` at the end (172).

size    equ  1024

outer   equ  1                      ; the benchmark makes this more

        section vars, data
flags:  ds   size
primes: ds   1

        vector reset, start
        section prog, code
start:  ldi  r20, high(flags + size)
        ldi  r23, high(size)
        ldi  r18, low(outer)
        ldi  r19, high(outer)
        ldi  r22, 1
round:  ldi  r21, 160               ; repetitions
again:  ldi  xl, low(flags)         ; every number may be prime
        ldi  xh, high(flags)
fill:   st   x+, r22
        cpi  xl, low(flags + size)
        cpc  xh, r20
        brlo fill
        clr  r0                     ; primes found
        ldi  r24, 2                 ; the number looked at
        ldi  r25, 0
next:   movw z, r24
        subi zl, low(-flags)
        sbci zh, high(-flags)
        ld   r16, z
        tst  r16
        breq step
        inc  r0
        movw x, z
        clr  r1
strike: add  xl, r24                ; strike out its multiples
        adc  xh, r25
        cpi  xl, low(flags + size)
        cpc  xh, r20
        brsh step
        st   x, r1
        rjmp strike
step:   adiw r24, 1
        cpi  r24, low(size)
        cpc  r25, r23
        brlo next
        sts  primes, r0
        dec  r21
        brne again
        subi r18, 1
        sbci r19, 0
        brne round
done:   rjmp done
