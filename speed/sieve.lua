-- sieve.lua — the same sieve for the interpreter it is compared with: primes below 8192, ROUNDS times.
local rounds, size = tonumber(arg[1]) or 20, 8192
local primes
for _ = 1, rounds do
    local flags = {}
    primes = 0
    for i = 0, size - 1 do flags[i] = 1 end
    for n = 2, size - 1 do
        if flags[n] ~= 0 then
            primes = primes + 1
            for m = n + n, size - 1, n do flags[m] = 0 end
        end
    end
end
print(primes)
