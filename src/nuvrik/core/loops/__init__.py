"""Each end whole: what one turn of its loop does with bytes, time, pins and sensors."""
