Pod::Spec.new do |s|
  s.name = 'dunlin_alerts'
  s.version = '4.2.0'
  s.summary = 'Reminds of the tide, on time.'
  s.homepage = 'https://docs.marram.example/dunlin_alerts'
  s.license = 'MIT'
  s.author = 'Marram'
  s.source = { :path => '.' }
  s.source_files = 'Classes/**/*'
  s.platform = :ios, '13.0'
end
