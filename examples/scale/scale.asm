; scale.asm - the arithmetic of a beehive scale, for mcs51-4k: the weight of a hive is the mean of two load cells, one under each side.
;
; Both cells are read every second; what they say comes in r2 and r3, in hundreds of grams.

        org  0
        ljmp begin

        org  0x40
begin:  mov  sp, #0x2f
round:  mov  r2, p1             ; the left side
        mov  r3, p2             ; the right side
        call mean
        mov  p0, a              ; the weight, on eight lamps
        sjmp round

; The mean of r2 and r3 in a, rounded down. The sum has nine bits: the ninth is the carry.
mean:   mov  a, r2
        add  a, r3
        rrc  a
        ret
