; main.asm - {name}, for {part}
;
;   c8.0  knock    0 = somebody knocks at the workshop door (ROM chip 8, weakly high)
;   c0.0  lamp     1 = lit (ROM chip 0)
;
; The lamp over the door follows the knocker, but only once it has been down for a while: short clatter is no knock.

knock   equ  0x80               ; what src sends: ROM chip 8
lamp    equ  0x00               ; ROM chip 0

; r2: how often in a row the knocker was down, up to 15

        section prog, code, at 0
begin:  ldm  0
        xch  r2
main:   jms  look
        jcn  z, dark            ; 1: steady
        fim  p0, lamp
        src  p0
        wrr
lit:    nop                     ; passed while the lamp is lit
        jun  main
dark:   fim  p0, lamp
        src  p0
        wrr                     ; the accumulator is 0
        jun  main

; Looks at the knocker once. Out: 1 in the accumulator when it has been down long enough. Changes p0 and r2.
look:   fim  p0, knock
        src  p0
        rdr
        rar                     ; its line into the carry
        jcn  c, up
        isz  r2, less           ; another look
        ldm  15                 ; it has been 15 already, and stays
        xch  r2
        bbl  1
less:   bbl  0
up:     ldm  0
        xch  r2
        bbl  0
