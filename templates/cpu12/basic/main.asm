; main.asm - {name}, for {part}
;
;   pt.0  knock    0 = somebody knocks at the workshop door (pulled up)
;   pp.0  lamp     1 = lit
;
; The lamp over the door follows the knocker, but only once it has been down for a while: short clatter is no knock.

knock   equ  1                  ; bits of their ports
lamp    equ  1

; ---------------------------------------------------------------- variables

        section settings, ram, copied
steady: dw   60                 ; looks that must agree

        section vars, ram
seen:   ds   2                  ; how often in a row the knocker was down

; ---------------------------------------------------------------- vectors

        vector reset, start

; ---------------------------------------------------------------- start-up

        section prog, flash
start:  lds  #0x4000            ; the top of the RAM
        movb #0, COPCTL         ; no watchdog: what is written once stays
        copied                  ; settings come out of the flash
        ldd  #0
        std  seen               ; RAM holds anything at first

; ---------------------------------------------------------------- program

main:   movb #0, PTP            ; dark, before it is an output
        bset DDRP, #lamp
        bset PERT, #knock       ; pulled up
again:  bsr  look
        bcc  dark               ; carry: steady
        bset PTP, #lamp
lit:    nop                     ; passed while the lamp is lit
        bra  again
dark:   bclr PTP, #lamp
        bra  again

; Looks at the knocker once. Out: carry set when it has been down long enough.
look:   brset PTIT, #knock, .up
        ldx  seen
        cpx  steady
        bhs  .down
        inx
        stx  seen
        clc
        rts
.down:  sec
        rts
.up:    ldx  #0
        stx  seen
        clc
        rts
