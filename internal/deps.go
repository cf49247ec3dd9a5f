package internal

import (
	_ "github.com/alexedwards/argon2id"
	_ "github.com/alexedwards/scs/mysqlstore"
	_ "github.com/alexedwards/scs/v2"
	_ "github.com/danielgtaylor/huma/v2"
	_ "github.com/danielgtaylor/huma/v2/adapters/humagin"
	_ "github.com/emiago/sipgo"
	_ "github.com/gin-gonic/gin"
	_ "github.com/go-sql-driver/mysql"
	_ "github.com/nyaruka/phonenumbers"
	_ "github.com/pion/sdp/v3"
	_ "github.com/pressly/goose/v3"
	_ "github.com/spf13/cobra"
)
