# Readings ----

# One probe in the north plot, read on one day at three depths.

depth <- c(10, 20, 40)
moisture <- c(31.5, 28, 36)

# A line through them ----

# Deeper soil holds more water.

model <- lm(moisture ~ depth)
round(coef(model), 3)

plot(depth, moisture, pch = 19)
abline(model)
