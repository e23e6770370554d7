console.log('reference');
