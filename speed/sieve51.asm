; The prime sieve of the benchmark: 8192 flags in external RAM, one byte each, twenty times over.
; The count of primes below 8192 stands in r7:r6 at the end (1028).

size    equ  8192

outer   equ  1                      ; the benchmark makes this more

        org  0
        mov  sp, #0x60
        mov  0x70, #outer
round:  mov  r5, #20                ; repetitions
again:  mov  dptr, #0               ; every number may be prime
        mov  r3, #high(size)
        mov  r4, #low(size)
        mov  a, #1
fill:   movx @dptr, a
        inc  dptr
        djnz r4, fill
        djnz r3, fill
        mov  r6, #0
        mov  r7, #0
        mov  r0, #2                 ; r1:r0 is the number looked at
        mov  r1, #0
next:   mov  dpl, r0
        mov  dph, r1
        movx a, @dptr
        jz   step
        inc  r6                     ; a prime
        cjne r6, #0, strike
        inc  r7
strike: mov  a, dpl                 ; strike out its multiples
        add  a, r0
        mov  dpl, a
        mov  a, dph
        addc a, r1
        mov  dph, a
        anl  a, #0xe0
        jnz  step                   ; beyond the last flag
        movx @dptr, a
        sjmp strike
step:   inc  r0
        cjne r0, #0, same
        inc  r1
same:   cjne r1, #high(size), next
        djnz r5, again
        djnz 0x70, round
done:   sjmp done
