; main.asm - {name}, for {part}
;
;   p1.0  knock    0 = somebody knocks at the workshop door
;   p0.0  lamp     1 = lit
;
; The lamp over the door follows the knocker, but only once it has been down for a while: short clatter is no knock.

knock   equ  0                  ; bits of INPUT and LATCH
lamp    equ  1 << 0
steady  equ  20                 ; looks that must agree

; ---------------------------------------------------------------- variables

        section vars, ram
seen:   ds   1                  ; how often in a row the knocker was down
stack:  ds   32                 ; grows down from here:
top:

; ---------------------------------------------------------------- vectors

        vector reset, begin
        vector restart, tick    ; interrupts in mode 1

; ---------------------------------------------------------------- program

        section prog, mem
begin:  ld   sp, top
        im   1
        xor  a
        ld   (seen), a          ; RAM holds anything at first
        out  (LATCH), a         ; the lamp is dark

main:   call look
        jr   c, lit
        xor  a
        out  (LATCH), a
        jr   main
lit:    ld   a, lamp
        out  (LATCH), a
        jr   main

; Looks at the knocker once. Out: carry set when it has been down long enough.
look:   in   a, (INPUT)
        bit  knock, a
        jr   z, .down
        xor  a                  ; clears the carry, too
        ld   (seen), a
        ret
.down:  ld   hl, seen
        ld   a, (hl)
        cp   steady
        ccf                     ; set when it is not less
        ret  c
        inc  (hl)
        or   a
        ret

tick:   ei                      ; nothing asks for it yet
        reti
