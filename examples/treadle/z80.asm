; The treadle of the loom on the Z80. A pointer walks over the two cells; ports are read and written through the accumulator, and a
; return may have a condition.

steady  equ  5                  ; looks in a row, a millisecond apart

        section vars, ram
left:   ds   1                  ; looks that are still to be alike
rows:   ds   1
stack:  ds   32
top:

        vector reset, begin

        section prog, mem
begin:  ld   sp, top
        xor  a
        ld   (left), a
        ld   (rows), a
        out  (LATCH), a
main:   call look
looked: call wait
        jr   main

look:   ld   hl, left
        in   a, (INPUT)
        rra                     ; line 0, low while the treadle is down
        jr   c, .open
        ld   a, (hl)
        or   a
        ret  z                  ; this press has counted
        dec  (hl)
        ret  nz
        inc  hl
        inc  (hl)
        ld   a, (hl)
        out  (LATCH), a
        ret
.open:  ld   (hl), steady
        ret

wait:   ld   de, 4000 / 26
.again: dec  de
        ld   a, d
        or   e
        jr   nz, .again
        ret
