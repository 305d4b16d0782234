/ The treadle of the loom on the four-bit core. A chip, a register and a character are selected before they are read or written; counting
/ goes upwards, to 0 behind 15. The port belongs to the chip of RAM in which the characters lie. Rows go from 0 to 15.

contact equ  0x80               / what src sends: ROM chip 8, whose line 0 is low while the treadle is down
steady  equ  5                  / looks in a row, a millisecond apart

        section vars, ram, at 0
left:   ds   1                  / up to 0: looks that are still to be alike
rows:   ds   1

        section prog, code, at 0
main,   jms  look
looked, jms  wait
        jun  main

look,   fim  p0, contact
        src  p0
        rdr
        rar                     / the line into the carry
        fim  p0, left
        src  p0
        jcn  c, open
        rdm
        jcn  z, back            / this press has counted
        iac
        wrm
        jcn  nz, back
        inc  r1
        src  p0
        rdm
        iac
        wrm
        wmp
back,   bbl  0
open,   ldm  16 - steady
        wrm
        bbl  0

wait,   fim  p3, 0x6d
again,  isz  r6, again
        isz  r7, again
        bbl  0
