; boards.asm - a program for the monitor: adds up the lengths of the boards on a cutting list, and shows on the lamps how many metres they are
;
; Typed into the monitor as HEX it is loaded, and `go 4000` runs it.

         section prog, mem, at 0x4000
add_up:  ld   hl, list
         ld   de, 0              ; centimetres
.board:  ld   a, (hl)
         or   a
         jr   z, .metres
         add  a, e
         ld   e, a
         ld   a, 0
         adc  a, d
         ld   d, a
         inc  hl
         jr   .board
.metres: ex   de, hl
         ld   bc, 100
         ld   a, 0xff            ; one too many is counted
.metre:  inc  a
         or   a
         sbc  hl, bc
         jr   nc, .metre
         out  (LATCH), a
         ret

list:    db   120, 95, 180, 60, 240, 75, 0
