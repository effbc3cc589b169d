package gen

// good is one kind of thing that suppliers sell.
type good struct {
	kind     string // what draw calls it
	nouns    []string
	category string
	uses     []string
	material []string
	sizes    []string
	cents    int // a middling factory price in hundredths of a US dollar
	grams    int
	season   int // the month sales peak, 0 for none
}

var goods = []good{
	{"mug", []string{"Enamel Mug", "Camp Cup", "Enamelled Steel Mug"}, "Camp kitchen",
		[]string{"Camping", "Picnic", "Outdoor"}, []string{"enamel", "steel"}, []string{"350 ml", "500 ml"}, 420, 180,
		7},
	{"pot", []string{"Stew Pot", "Camp Cooking Pot", "Enamel Casserole"}, "Camp kitchen",
		[]string{"Camping", "Stove", "Hiking"}, []string{"enamel", "aluminium"}, []string{"2 l", "3 l", "5 l"}, 1150,
		720, 7},
	{"kettle", []string{"Whistling Kettle", "Camp Kettle", "Tea Kettle"}, "Camp kitchen",
		[]string{"Camping", "Kitchen", "Fire"}, []string{"steel", "enamel"}, []string{"1 l", "1.6 l", "2.5 l"}, 1340,
		640, 10},
	{"lantern", []string{"Camp Lantern", "Storm Lamp", "Hanging Lantern"}, "Camp kitchen",
		[]string{"Tent", "Garden", "Balcony"}, []string{"tin", "brass"}, []string{"small", "large"}, 980, 410, 8},
	{"planter", []string{"Oval Planter", "Flower Pot", "Zinc Planter"}, "Balcony garden",
		[]string{"Balcony", "Window", "Herb"}, []string{"zinc", "terracotta"}, []string{"20 cm", "30 cm", "45 cm"}, 860,
		900, 5},
	{"can", []string{"Watering Can", "Long Spout Watering Can", "Plant Sprinkler"}, "Balcony garden",
		[]string{"Balcony", "Indoor Plants", "Garden"}, []string{"steel", "zinc"}, []string{"0.9 l", "1.8 l"}, 790, 350,
		5},
	{"shears", []string{"Herb Shears", "Pruning Shears", "Garden Snips"}, "Balcony garden",
		[]string{"Bonsai", "Herb", "Flower"}, []string{"carbon steel", "steel"}, []string{"16 cm", "20 cm"}, 560, 160,
		4},
	{"tray", []string{"Seed Tray", "Propagator Tray with Dome", "Seedling Box"}, "Balcony garden",
		[]string{"Sowing", "Greenhouse", "Window"}, []string{"recycled plastic", "plastic"},
		[]string{"12 cells", "24 cells"}, 450, 220, 3},
	{"jigsaw", []string{"Jigsaw Puzzle", "Wooden Jigsaw", "Harbour Puzzle"}, "Games and puzzles",
		[]string{"Family", "Adult", "Gift"}, []string{"wood", "board"},
		[]string{"300 pieces", "500 pieces", "1000 pieces"}, 690, 520, 12},
	{"dice", []string{"Dice Set", "Wooden Dice", "Travel Dice Game"}, "Games and puzzles",
		[]string{"Party", "Travel", "Family"}, []string{"wood", "resin"}, []string{"5 dice", "7 dice"}, 280, 90, 12},
	{"yarn", []string{"Wool Yarn", "Knitting Yarn", "Merino Yarn Ball"}, "Sewing and craft",
		[]string{"Knitting", "Crochet", "DIY"}, []string{"wool", "cotton"}, []string{"50 g", "100 g"}, 260, 100, 11},
	{"scissors", []string{"Fabric Scissors", "Tailor Scissors", "Sewing Shears"}, "Sewing and craft",
		[]string{"Sewing", "Craft", "Tailor"}, []string{"steel", "titanium coated"}, []string{"21 cm", "24 cm"}, 620,
		190, 0},
	{"tin", []string{"Button Tin", "Sewing Tin", "Craft Storage Tin"}, "Sewing and craft",
		[]string{"Sewing", "Button", "Storage"}, []string{"tin", "steel"}, []string{"small", "large"}, 390, 240, 0},
	{"brush", []string{"Dish Brush", "Scrubbing Brush", "Cleaning Brush"}, "Cleaning and storage",
		[]string{"Kitchen", "Bottle", "Bath"}, []string{"beech", "bamboo"}, []string{"single", "set of 3"}, 240, 110,
		0},
	{"basket", []string{"Storage Basket", "Rope Basket", "Laundry Basket"}, "Cleaning and storage",
		[]string{"Nursery", "Laundry", "Shelf"}, []string{"cotton rope", "seagrass"},
		[]string{"small", "medium", "large"}, 920, 560, 1},
	{"pegs", []string{"Clothes Pegs", "Folding Clothes Line", "Laundry Pegs"}, "Cleaning and storage",
		[]string{"Laundry", "Travel", "Balcony"}, []string{"wood", "steel"}, []string{"24 pieces", "48 pieces"}, 310,
		260, 6},
	{"bell", []string{"Bicycle Bell", "Brass Bike Bell", "Ding Bell"}, "Bicycle and rain",
		[]string{"City Bike", "Kids Bike", "Handlebar"}, []string{"brass", "aluminium"}, []string{"22 mm", "31 mm"},
		330, 95, 5},
	{"bag", []string{"Pannier Bag", "Bike Bag", "Waterproof Pannier"}, "Bicycle and rain",
		[]string{"Commuter", "Touring", "Rack"}, []string{"tarpaulin", "canvas"}, []string{"15 l", "20 l"}, 1690, 780,
		5},
	{"umbrella", []string{"Folding Umbrella", "Windproof Umbrella", "Rain Umbrella"}, "Bicycle and rain",
		[]string{"Travel", "Storm", "Commuter"}, []string{"pongee", "recycled polyester"},
		[]string{"8 ribs", "10 ribs"}, 740, 360, 10},
	{"jacket", []string{"Rain Jacket", "Rain Poncho", "Cycling Rain Cape"}, "Bicycle and rain",
		[]string{"Cycling", "Hiking", "Commuter"}, []string{"polyester", "recycled nylon"},
		[]string{"S", "M", "L", "XL"}, 1480, 430, 10},
}

// colours are what draw can paint; the first letter codes are how careless suppliers name them.
var colours = []string{"lake", "brick", "pine", "sand", "plum", "honey", "fern", "chalk", "ink", "rose", "slate",
	"clay"}

type country struct {
	code     string
	currency string
	digits   int
	// perDollar is how many major units a dollar buys, in hundredths; near enough for made-up prices.
	perDollar int
}

var countries = []country{
	{"CN", "CNY", 2, 722}, {"VN", "USD", 2, 100}, {"IN", "INR", 2, 8640}, {"TR", "USD", 2, 100},
	{"JP", "JPY", 0, 15280}, {"KW", "KWD", 3, 31}, {"CN", "CNY", 2, 722}, {"PL", "EUR", 2, 91},
}

var nearCountries = []country{{"US", "USD", 2, 100}, {"US", "USD", 2, 100}, {"DE", "EUR", 2, 91}, {"NL", "EUR", 2, 91},
	{"GB", "GBP", 2, 79}, {"PL", "PLN", 2, 392}}

var supplierFirst = []string{"Ostrava", "Linden", "Kestrel", "Lotus Bay", "Silver Pine", "Bright Harbor",
	"Golden Heron", "Red Maple", "Jade River", "Blue Anchor", "Morning Dew", "North Gate", "Tall Reed", "Copper Kite",
	"Green Terrace", "Old Mill", "White Crane", "Stone Bridge", "Quiet Moon", "Iron Willow"}
var supplierSecond = []string{"Enamelware", "Home", "Outdoor Works", "Trading", "Crafts", "Household", "Factory Outlet",
	"Goods", "Supplies", "Workshop", "Living", "Manufacture", "Daily Goods", "Direct", "Textiles", "Hardware", "Gifts",
	"Store", "Select", "Makers"}

var shout = []string{"2026 NEW", "HOT SALE!!", "🔥Hot Sale🔥", "New Arrival", "TOP QUALITY", "Wholesale",
	"Best Seller ★★★", "Factory Direct", "BIG DISCOUNT", ""}
var claim = []string{"FREE SHIPPING", "Dropship OK", "100% Guarantee", "Fast Delivery", "Limited Time!!!",
	"Gift for Mom", "", "", "1PC", "High-Quality"}

// features are what makes one item of its kind another than the next; both words of shops for each.
var features = [][2]string{
	{"with Lid", "lidded"}, {"Speckled", "speckle pattern"}, {"Hand Painted", "painted by hand"},
	{"Foldable", "folding"}, {"Non Slip", "anti-slip"}, {"Striped", "stripe pattern"}, {"Stackable", "stacking"},
	{"Engraved", "laser engraving"}, {"Matte", "matt finish"}, {"Hexagon", "hexagonal"}, {"Nordic", "nordic style"},
	{"Herringbone", "herringbone pattern"}, {"Fluted", "ribbed"}, {"Vintage", "antique"},
	{"with Storage Bag", "bag included"}, {"Reflective", "reflecting"}, {"Magnetic", "magnet"},
	{"Personalised", "custom name"}, {"Botanical", "botanic print"}, {"Checkered", "checked"}, {"Insulated", "thermal"},
	{"with Cork Base", "cork bottom"}, {"Oversized", "extra wide"}, {"Slim", "slimline"}, {"Terrazzo", "terrazzo look"},
	{"Quilted", "quilt stitch"}, {"Hammered", "hammer finish"}, {"with Leather Strap", "leather loop"},
	{"Floral", "flower print"}, {"Polka Dot", "dotted"},
}
