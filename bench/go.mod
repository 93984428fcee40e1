module molt/bench

go 1.26.0

require molt v0.0.0

require github.com/go-air/gini v1.0.4

replace molt => ../
