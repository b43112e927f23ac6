// Tools that the tests do not need, kept apart from the app's own modules.
module jobshelf/tools

go 1.26.0

tool github.com/golangci/golangci-lint/v2/cmd/golangci-lint
