; The prime sieve of the benchmark for a core whose largest array has 80 cells: 80 flags in bank 1, one byte each, over and over.
; The count of primes below 80 stands in `primes` at the end (22).

size    equ  80

outer   equ  1                      ; the benchmark makes this more

        org  0x2007
        dw   0x3ffb                 ; the watchdog does not run
        section vars, file, at 0x70
primes: ds   1
number: ds   1
times:  ds   1
rounds: ds   1
loops:  ds   1
left:   ds   1
        section array, file, at 0xa0
flags:  ds   size

        vector reset, start
        section prog, code
start:  movlw outer
        movwf loops
outmost: movlw 200
        movwf rounds
again:  movlw 200
        movwf times
sieve:  movlw flags                 ; allow(doubtful-mark)
        movwf FSR
        movlw size
        movwf left
        movlw 1
fill:   movwf INDF                  ; every number may be prime
        incf FSR, f
        decfsz left, f
        goto fill
        clrf primes
        movlw 2
        movwf number
next:   movf number, w
        addlw flags                 ; allow(doubtful-mark)
        movwf FSR
        movf INDF, f
        btfsc STATUS, Z
        goto step
        incf primes, f
        movf number, w
strike: addwf FSR, f                ; strike out its multiples
        btfsc STATUS, C
        goto step
        movf FSR, w
        sublw flags+size-1          ; beyond the last flag
        btfss STATUS, C
        goto step
        clrf INDF
        movf number, w
        goto strike
step:   incf number, f
        movf number, w
        sublw size-1
        btfsc STATUS, C
        goto next
        decfsz times, f
        goto sieve
        decfsz rounds, f
        goto again
        decfsz loops, f
        goto outmost
done:   goto done
