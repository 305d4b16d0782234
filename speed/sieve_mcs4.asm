; The benchmark for the four-bit core: it counts the bits of all 256 values in characters of RAM, over and over. The sum stands in ram[0x10] to
; ram[0x12] at the end, the low digit first: 0x400 a round, kept to three digits.

outer   equ  1                      ; the benchmark makes this more

        section prog, code, at 0
start:  fim  p6, low(0x10000 - outer)       ; rounds count up to 0, of three digits
        ldm  16 - (outer >> 8 & 15) - 1 & 15
        xch  r11
round:  fim  p4, 0                  ; the value: r8, r9
value:  ld   r9
        jms  bits
        ld   r8
        jms  bits
        isz  r9, value
        isz  r8, value
        isz  r13, round
        isz  r12, round
        isz  r11, round
done:   jun  done

; Adds the bits that are set in the accumulator to the sum.
bits:   xch  r2
        fim  p2, 0x10
        ldm  12
        xch  r3                     ; four bits
        ldm  0
        xch  r6
next:   ld   r2
        rar
        xch  r2
        tcc
        add  r6
        xch  r6
        isz  r3, next
        src  p2
        ld   r6
        clc
        adm
        wrm
        inc  r5
        src  p2
        ldm  0
        adm
        wrm
        inc  r5
        src  p2
        ldm  0
        adm
        wrm
        bbl  0
