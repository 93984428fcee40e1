module molt

go 1.26
