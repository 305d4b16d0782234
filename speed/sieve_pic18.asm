; The prime sieve of the benchmark for the core with 16-bit instructions: 1,024 flags in banks 1 to 4, one byte each, over and over.
; The count of primes below 1,024 stands in `primes` at the end (172).

size    equ  1024
flags   equ  0x100                  ; of data memory

outer   equ  1                      ; the benchmark makes this more

        config CONFIG1H: FOSC=xt
        config CONFIG2L: BOREN=on
        config CONFIG2H: WDTEN=off
        config CONFIG4L: STVREN=on
        section vars, data, at 0
primes: ds   1
number: ds   2                      ; the low byte first
loops:  ds   1
rounds: ds   1

        vector reset, start
        section prog, code
start:  movlw outer
        movwf loops
outmost: movlw 100
        movwf rounds
sieve:  lfsr fsr0, flags
        movlw 1
fill:   movwf POSTINC0              ; every number may be prime
        btfss FSR0H, 2
        bra  fill
rest:   movwf POSTINC0              ; up to 0x4ff
        tstfsz FSR0L
        bra  rest
        clrf primes
        clrf number + 1
        movlw 2
        movwf number
next:   movff number, FSR0L
        movlw high(flags)
        addwf number + 1, w
        movwf FSR0H
        tstfsz INDF0
        bra  prime
        bra  step
prime:  incf primes, f
strike: movf number, w              ; strike out its multiples
        addwf FSR0L, f
        movf number + 1, w
        addwfc FSR0H, f
        movlw high(flags + size)
        cpfslt FSR0H
        bra  step
        clrf INDF0
        bra  strike
step:   infsnz number, f
        incf number + 1, f
        btfss number + 1, 2
        bra  next
        decfsz rounds, f
        bra  sieve
        decfsz loops, f
        goto outmost
done:   bra  done
        end
